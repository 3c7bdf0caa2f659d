import { inject, Injectable } from '@angular/core';
import { Playback } from '../playback/playback';

/** Interval during playback, ms: often enough for the eye, and a sixth of the screen's refreshes. */
const PLAYING_MS = 100;

/**
 * Calls back whatever follows the playhead, all at one time: with each refresh of the screen at rest, so that what is
 * dragged follows the pointer, and less often during playback, which must not be disturbed.
 */
@Injectable()
export class PlayheadTicker {
  private readonly playback = inject(Playback);
  private readonly followers = new Set<() => void>();
  private refresh = 0;
  private timer: ReturnType<typeof setTimeout> | undefined;

  /** @returns ends it */
  add(follow: () => void): () => void {
    this.followers.add(follow);
    if (this.followers.size === 1) this.tick();
    return () => {
      this.followers.delete(follow);
      if (this.followers.size > 0) return;
      cancelAnimationFrame(this.refresh);
      clearTimeout(this.timer);
    };
  }

  private tick(): void {
    for (const follow of this.followers) follow();
    if (this.playback.isMoving) this.timer = setTimeout(() => this.tick(), PLAYING_MS);
    else this.refresh = requestAnimationFrame(() => this.tick());
  }
}
