import { Component, input } from '@angular/core';

/** A symbol of the icon package; what it stands for is said by the control that holds it. */
@Component({
  selector: 'hone-icon',
  template: `<svg viewBox="0 0 24 24" aria-hidden="true" focusable="false"><path [attr.d]="path()" /></svg>`,
  styles: `
    :host {
      display: inline-flex;
    }
    svg {
      width: 20px;
      height: 20px;
      fill: currentColor;
    }
  `,
})
export class Icon {
  /** Outline within 24 × 24. */
  readonly path = input.required<string>();
}
