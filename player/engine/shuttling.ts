/** Frames that are shown at a multiple of the speed, in either direction, as many as can be made. */
export class Shuttling {
  private readonly startedAt = performance.now();

  /** @param speed 2 is twice as fast as playing; below zero it goes backwards */
  constructor(
    private readonly from: number,
    readonly speed: number,
  ) {}

  /** The frame that is due now, with its fraction; it may lie outside the timeline. */
  frameAt(framesPerSecond: number): number {
    const seconds = (performance.now() - this.startedAt) / 1000;
    return this.from + seconds * this.speed * framesPerSecond;
  }
}
