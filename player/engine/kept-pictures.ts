import type { KeptRange } from '@hone/core/pacing';
import type { FrameRange } from '@hone/core/timeline';
import type { Layout } from './layout.js';
import { PictureKeys, PictureKinds } from './picture-keys.js';
import { PictureRoom } from './picture-room.js';
import type { PlanView } from './plan-view.js';

/** Pictures of playing, which are kept from run to run, and from plan to plan where their size stays. */
export class KeptPictures {
  private room = new PictureRoom([]);
  private keys = new PictureKeys([], new PictureKinds());
  private readonly kinds = new PictureKinds();
  private slotBytes = 0;
  private ranges: readonly KeptRange[] = [];

  setPlan(plan: PlanView, { playBytes, playSlots }: Layout): void {
    const keepsPlace = playBytes === this.slotBytes && playSlots.length === this.room.slots.length;
    if (!keepsPlace) this.room = new PictureRoom(playSlots);
    this.slotBytes = playBytes;
    this.keys = new PictureKeys(plan.playedPassages(), this.kinds);
  }

  /** Playback of frames [from, to) begins. */
  beginRun(run: FrameRange): void {
    this.keys.run = run;
    this.keys.playhead = run.from;
    this.room.setRun(false);
    this.ranges = this.keys.rangesOf(this.room.keys());
    this.room.setRun(true);
  }

  endRun(): void {
    this.room.setRun(false);
  }

  /** Frames whose pictures were there when the run began. */
  get foundRanges(): readonly KeptRange[] {
    return this.ranges;
  }

  /** What is shown next is wanted soonest. */
  set playhead(frame: number) {
    this.keys.playhead = frame;
  }

  /** Room for playing with what is kept in it. */
  use(): { readonly room: PictureRoom; readonly keys: PictureKeys } {
    return { room: this.room, keys: this.keys };
  }

  /** Room for playing with nothing in it: what is measured is decoded. */
  useEmpty(): PictureRoom {
    return (this.room = new PictureRoom(this.room.slots));
  }
}
