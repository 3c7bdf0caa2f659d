import { afterNextRender, DestroyRef, inject, Injectable } from '@angular/core';
import { Playback } from '../playback/playback';

/** Interval during playback, ms. */
const PLAYING_MS = 250;

/**
 * Calls back whatever changes during playback, all at one time, so that the page is drawn once for all: with each refresh
 * of the screen at rest, so that what is dragged follows the pointer, and four times a second during playback, which must
 * not be disturbed.
 */
@Injectable()
export class PlayheadTicker {
  private readonly playback = inject(Playback);
  private readonly followers = new Map<() => void, number>();
  private ticks = 0;
  private refresh = 0;
  private timer: ReturnType<typeof setTimeout> | undefined;

  /** @param every so many ticks @returns ends it */
  add(follow: () => void, every = 1): () => void {
    this.followers.set(follow, every);
    if (this.followers.size === 1) this.tick();
    return () => {
      this.followers.delete(follow);
      if (this.followers.size > 0) return;
      cancelAnimationFrame(this.refresh);
      clearTimeout(this.timer);
    };
  }

  private tick(): void {
    const { isMoving } = this.playback;
    this.ticks++;
    for (const [follow, every] of this.followers) if (this.ticks % every === 0) follow();
    if (isMoving) this.timer = setTimeout(() => this.tick(), PLAYING_MS);
    else this.refresh = requestAnimationFrame(() => this.tick());
  }
}

/**
 * Calls back with the ticks of playback for as long as its component is there. To be called where things may be injected.
 * @param every so many ticks
 */
export function followTicks(follow: () => void, every = 1): void {
  const ticker = inject(PlayheadTicker);
  const destroy = inject(DestroyRef);
  afterNextRender(() => destroy.onDestroy(ticker.add(follow, every)));
}
