import type { KeptRange } from '@hone/core/pacing';
import type { FrameRange } from '@hone/core/timeline';
import type { Layout } from './layout.js';
import { PictureKeys, PictureKinds } from './picture-keys.js';
import { PictureRoom } from './picture-room.js';
import type { PlanView } from './plan-view.js';

/** From the start of a run: memory holds less, and keys of a long timeline take a while to find. */
const KEYED_SECONDS = 300;

/** Pictures of playing, which are kept from run to run, and from plan to plan where their size stays. */
export class KeptPictures {
  private room = new PictureRoom([]);
  private keys = new PictureKeys([], new PictureKinds());
  private readonly kinds = new PictureKinds();
  private plan: PlanView | undefined;
  private run: FrameRange = { from: 0, to: 0 };
  private slotBytes = 0;
  private ranges: readonly KeptRange[] = [];

  setPlan(plan: PlanView, { playBytes, playSlots }: Layout): void {
    const keepsPlace = playBytes === this.slotBytes && playSlots.length === this.room.slots.length;
    if (!keepsPlace) this.room = new PictureRoom(playSlots);
    this.slotBytes = playBytes;
    this.plan = plan;
    this.findKeys();
  }

  /** Playback of frames [from, to) begins. */
  beginRun(run: FrameRange): void {
    const to = Math.min(run.to, run.from + Math.round(KEYED_SECONDS * this.plan!.framesPerSecond));
    this.run = { from: run.from, to };
    this.findKeys();
    this.room.setRun(false);
    this.ranges = this.keys.rangesOf(this.room.keys());
    this.room.setRun(true);
  }

  private findKeys(): void {
    this.keys = new PictureKeys(this.plan!.playedPassages(this.run), this.kinds);
    this.keys.run = this.run;
    this.keys.playhead = this.run.from;
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
