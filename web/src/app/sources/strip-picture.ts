import { Component, computed, input, signal } from '@angular/core';
import type { ProjectEntry, Source } from '@hone/core/api';

/** A filmstrip that the server has. */
type StripAddress = NonNullable<ProjectEntry['picture']>;

/** Filmstrip of a source; null while it has none. */
export const stripOf = ({ id, stamp, strip }: Source): StripAddress | null =>
  strip && { sourceId: id, stamp, pictures: strip.pictures };

/** What stands in place of a filmstrip. */
export const stripText = ({ facts }: Source): string =>
  facts && !facts.picture ? 'sound only' : 'no picture yet';

/** A small picture of a source; moving the pointer over it leads through its length. */
@Component({
  selector: 'hone-strip-picture',
  template: `
    @if (address(); as src) {
      <img
        [src]="src"
        alt=""
        draggable="false"
        [style.width.%]="100 * pictures()"
        [style.transform]="shift()"
        loading="lazy"
      />
    } @else {
      <span class="quiet">{{ emptyText() }}</span>
    }
  `,
  styles: `
    :host {
      display: grid;
      place-items: center;
      overflow: hidden;
      aspect-ratio: 16 / 9;
      background: var(--mat-sys-surface-container-lowest);
      font-size: 12px;
    }
    img {
      display: block;
      justify-self: start;
    }
  `,
  host: { '(pointermove)': 'follow($event)', '(pointerleave)': 'at.set(USUAL)' },
})
export class StripPicture {
  readonly USUAL = 0.3;
  readonly strip = input.required<StripAddress | null>();
  readonly emptyText = input('no picture yet');
  readonly at = signal(this.USUAL);
  readonly pictures = computed(() => this.strip()?.pictures ?? 1);
  readonly address = computed(() => {
    const strip = this.strip();
    return strip && `/media/strips/${strip.sourceId}?of=${encodeURIComponent(strip.stamp)}`;
  });
  readonly shift = computed(() => {
    const pictures = this.pictures();
    const index = Math.min(pictures - 1, Math.floor(this.at() * pictures));
    return `translateX(${(-100 * index) / pictures}%)`;
  });

  follow(event: PointerEvent): void {
    const { left, width } = (event.currentTarget as HTMLElement).getBoundingClientRect();
    if (width > 0) this.at.set(Math.min(0.999, Math.max(0, (event.clientX - left) / width)));
  }
}
