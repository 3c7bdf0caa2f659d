import { Component, inject, ElementRef, model } from '@angular/core';

const STORED = 'hone.diagnosisWidth';
/** Widths of the diagnosis column, CSS pixels. */
const USUAL = 372;
const LEAST = 300;
const MOST = 640;
const STEP = 16;

/** The diagnosis column's width as this browser keeps it, CSS pixels. */
export function storedWidth(): number {
  const width = Number(localStorage.getItem(STORED) ?? USUAL);
  return Number.isFinite(width) ? within(width) : USUAL;
}

const within = (width: number): number => Math.min(MOST, Math.max(LEAST, Math.round(width)));

/** The edge between the two columns; dragged, or moved by the arrow keys, it changes the width of the right one. */
@Component({
  selector: 'hone-column-splitter',
  template: '',
  styles: `
    :host {
      width: 7px;
      margin: 0 -3px;
      z-index: 2;
      cursor: col-resize;
      touch-action: none;
    }
    :host:hover,
    :host:focus-visible {
      background: var(--mat-sys-primary);
      outline: none;
    }
  `,
  host: {
    role: 'separator',
    tabindex: '0',
    'aria-orientation': 'vertical',
    'aria-label': 'Width of the diagnosis column',
    'aria-valuemin': String(LEAST),
    'aria-valuemax': String(MOST),
    '[attr.aria-valuenow]': 'width()',
    '(keydown)': 'press($event)',
    '(pointerdown)': 'take($event)',
    '(pointermove)': 'drag($event)',
    '(dblclick)': 'change(usual)',
  },
})
export class ColumnSplitter {
  private readonly element = inject<ElementRef<HTMLElement>>(ElementRef);
  /** Width of the column on its right, CSS pixels. */
  readonly width = model.required<number>();
  readonly usual = USUAL;
  private from: { readonly x: number; readonly width: number } | undefined;

  change(width: number): void {
    this.width.set(within(width));
    localStorage.setItem(STORED, String(this.width()));
  }

  press(event: KeyboardEvent): void {
    const step = { ArrowLeft: STEP, ArrowRight: -STEP }[event.key];
    if (!step) return;
    // The page steps by frames with these keys.
    event.stopPropagation();
    this.change(this.width() + step);
  }

  take(event: PointerEvent): void {
    this.element.nativeElement.setPointerCapture(event.pointerId);
    this.from = { x: event.clientX, width: this.width() };
  }

  drag(event: PointerEvent): void {
    if (!this.from || event.buttons === 0) return;
    this.change(this.from.width + this.from.x - event.clientX);
  }
}
