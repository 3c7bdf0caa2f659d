import type { ReadyPicture } from './ready-picture.js';

/** When kept pictures are wanted again. */
export interface Uses {
  /** Timeline frames from the playhead until a picture is wanted; Infinity where it never is. */
  framesUntil(key: number): number;
}

/** A slot with a picture. */
interface Kept {
  readonly picture: ReadyPicture;
  /** Content of the picture; undefined where it is not to be found again. */
  readonly key: number | undefined;
  /** Time that making it took, ms. */
  readonly makeMs: number;
  /** Frames that show it or will. */
  holders: number;
  /** Order of its last use. */
  usedAt: number;
}

/**
 * Slots for pictures. A picture that no frame holds any more stays until its slot is needed: the least valuable goes
 * first, by the time to make it again and by when it is wanted next.
 */
export class PictureRoom {
  private readonly kept = new Map<number, Kept>();
  private readonly addressByKey = new Map<number, number>();
  private readonly free: number[];
  /** Number of slots whose pictures are held. */
  heldCount = 0;
  /** Contents of pictures that were made during the run; undefined while none is under way. */
  private madeInRun: Set<number> | undefined;
  private uses: Uses = { framesUntil: () => Infinity };
  private clock = 0;

  /** @param slots addresses, each with room for one picture */
  constructor(readonly slots: readonly number[]) {
    this.free = [...slots];
  }

  /** @param uses decides from now on which pictures are worth keeping */
  follow(uses: Uses): void {
    this.uses = uses;
  }

  /**
   * During a run, only the pictures are found that were there when it began: what it shows is then known beforehand.
   * @param isUnderWay whether a run begins, or has ended
   */
  setRun(isUnderWay: boolean): void {
    this.madeInRun = isUnderWay ? new Set() : undefined;
  }

  /** Takes a slot to write to, if need be one of a kept picture; undefined where all of them are in use. */
  take(): number | undefined {
    return this.free.pop() ?? this.evict();
  }

  /** Returns slots that were taken and not written to. */
  giveBack(addresses: Iterable<number>): void {
    this.free.push(...addresses);
  }

  /** A picture was made, and a frame holds it. */
  store(picture: ReadyPicture, key: number | undefined, makeMs: number): void {
    const known = key === undefined ? undefined : this.addressByKey.get(key);
    if (key !== undefined && known === undefined) this.madeInRun?.add(key);
    // The same picture was made once more, where it did not matter: at the end of what was missing, say.
    if (known !== undefined && this.kept.get(known)!.holders === 0) this.forget(known, true);
    const isOnly = key !== undefined && !this.addressByKey.has(key);
    this.kept.set(picture.address, {
      picture,
      key: isOnly ? key : undefined,
      makeMs,
      holders: 1,
      usedAt: this.clock++,
    });
    this.heldCount++;
    if (isOnly) this.addressByKey.set(key, picture.address);
  }

  /** One more frame shows the picture at an address. */
  hold(address: number): void {
    const kept = this.kept.get(address)!;
    if (kept.holders++ === 0) this.heldCount++;
    kept.usedAt = this.clock++;
  }

  /** A frame no longer shows the picture at an address. */
  release(address: number): void {
    const kept = this.kept.get(address);
    if (!kept || --kept.holders > 0) return;
    this.heldCount--;
    if (kept.key === undefined) this.forget(address, true);
  }

  /** Whether there is a picture at an address. */
  contains(address: number): boolean {
    return this.kept.has(address);
  }

  has(key: number): boolean {
    return this.addressByKey.has(key) && !this.madeInRun?.has(key);
  }

  /** The kept picture with some content, which is held from now on. */
  find(key: number): ReadyPicture | undefined {
    if (!this.has(key)) return undefined;
    const address = this.addressByKey.get(key)!;
    this.hold(address);
    return this.kept.get(address)!.picture;
  }

  /** Contents of the pictures that can be found again. */
  keys(): Iterable<number> {
    return this.addressByKey.keys();
  }

  /** Number of pictures that can be found again. */
  get keptCount(): number {
    return this.addressByKey.size;
  }

  private evict(): number | undefined {
    let found: { address: number; value: number; usedAt: number } | undefined;
    for (const [address, kept] of this.kept) {
      if (kept.holders > 0) continue;
      const value = this.valueOf(kept);
      const isLess = !found || value < found.value || (value === found.value && kept.usedAt < found.usedAt);
      if (isLess) found = { address, value, usedAt: kept.usedAt };
    }
    if (!found) return undefined;
    this.forget(found.address, false);
    return found.address;
  }

  private valueOf({ key, makeMs }: Kept): number {
    return key === undefined ? 0 : makeMs / (1 + this.uses.framesUntil(key));
  }

  private forget(address: number, isFree: boolean): void {
    const key = this.kept.get(address)?.key;
    if (key !== undefined) this.addressByKey.delete(key);
    this.kept.delete(address);
    if (isFree) this.free.push(address);
  }
}
