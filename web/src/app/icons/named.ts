import { computed, Directive, input } from '@angular/core';

/** Name of a control that shows a symbol, for those who hear it, and with its shortcut on hovering. */
@Directive({
  selector: 'button[honeNamed]',
  host: { '[attr.aria-label]': 'honeNamed()', '[title]': 'title()' },
})
export class Named {
  readonly honeNamed = input.required<string>();
  readonly shortcut = input.required<string>();
  readonly title = computed(() => `${this.honeNamed()}: ${this.shortcut()}`);
}
