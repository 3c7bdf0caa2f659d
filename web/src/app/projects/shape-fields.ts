import { Component, input, model } from '@angular/core';
import { FormsModule } from '@angular/forms';
import { MatFormFieldModule } from '@angular/material/form-field';
import { MatSelectModule } from '@angular/material/select';
import { parseRational, rational, type Rational } from '@hone/core/time';
import type { FrameSize } from '@hone/core/timeline';
import { pixels, rateText } from '../formatting/quantities';

const SIZES: readonly FrameSize[] = [
  [3840, 2160],
  [2720, 1530],
  [2560, 1440],
  [1920, 1080],
  [1280, 720],
  [1080, 1920],
].map(([width, height]) => ({ width: width!, height: height! }));

const RATES = ['24000/1001', '24', '25', '30000/1001', '30', '50', '60000/1001', '60'].map((text) =>
  parseRational(text)!,
);

export const USUAL_SIZE: FrameSize = { width: 1920, height: 1080 };
export const USUAL_RATE: Rational = rational(24);

/** Asks for a frame size and a rate. */
@Component({
  selector: 'hone-shape-fields',
  imports: [FormsModule, MatFormFieldModule, MatSelectModule],
  template: `
    <mat-form-field subscriptSizing="dynamic" appearance="outline">
      <mat-label>Frame size</mat-label>
      <mat-select data-testid="frame-size" [(ngModel)]="size" [compareWith]="isSameSize">
        @for (each of sizes(); track each) {
          <mat-option [value]="each">{{ pixels(each) }}</mat-option>
        }
      </mat-select>
    </mat-form-field>
    <mat-form-field subscriptSizing="dynamic" appearance="outline">
      <mat-label>Frame rate</mat-label>
      <mat-select
        data-testid="frame-rate"
        [(ngModel)]="rate"
        [compareWith]="isSameRate"
        [disabled]="rateReason() !== null"
      >
        @for (each of rates(); track each) {
          <mat-option [value]="each">{{ rateText(each) }}</mat-option>
        }
      </mat-select>
      @if (rateReason(); as why) {
        <mat-hint>{{ why }}</mat-hint>
      }
    </mat-form-field>
  `,
  styles: `
    :host {
      display: grid;
      gap: 14px;
    }
  `,
})
export class ShapeFields {
  readonly size = model.required<FrameSize>();
  readonly rate = model.required<Rational>();
  /** Why the rate cannot be changed; null when it can. */
  readonly rateReason = input<string | null>(null);
  readonly pixels = pixels;
  readonly rateText = rateText;

  readonly isSameSize = (a: FrameSize, b: FrameSize): boolean => a.width === b.width && a.height === b.height;
  readonly isSameRate = (a: Rational, b: Rational): boolean => a.num * b.den === b.num * a.den;

  // The current value is among the choices, however unusual.
  sizes(): readonly FrameSize[] {
    const own = this.size();
    return SIZES.some((each) => this.isSameSize(each, own)) ? SIZES : [own, ...SIZES];
  }

  rates(): readonly Rational[] {
    const own = this.rate();
    return RATES.some((each) => this.isSameRate(each, own)) ? RATES : [own, ...RATES];
  }
}
