/**
 * Cores, or a drive, that several stations share. Each does one thing at a time, with as many threads as it takes cores
 * meanwhile, rounded up. While they want more than there is, every thread gets the same share of it, unless it wants less
 * (max-min fairness; Bertsekas, Gallager, Data Networks, 2nd edition, 6.5.2), as a fair scheduler hands out cores: what
 * has one thread that always works loses more than what has two that wait between whiles.
 */
export class SharedMachine {
  private clock = 0;
  private wanted = 0;
  private used = 0;
  /** Of a core, that every thread may have; 1 while there is enough for all. */
  private share = 1;
  /** When each station ends if nothing else begins or ends before, ms. */
  private readonly ends: Float64Array;
  private readonly begun: Float64Array;
  private readonly widths: Float64Array;
  /** Stations that do something, the one that ends first behind the others. */
  private readonly busy: number[] = [];

  /**
   * @param capacity cores that can be had; 1 for a drive
   * @param stations number of stations
   * @throws RangeError when there is no capacity
   */
  constructor(
    readonly capacity: number,
    stations: number,
  ) {
    if (!(capacity > 0)) throw new RangeError(`A machine needs a capacity above zero, but has ${capacity}.`);
    this.ends = new Float64Array(stations);
    this.begun = new Float64Array(stations);
    this.widths = new Float64Array(stations);
  }

  /** ms */
  get now(): number {
    return this.clock;
  }

  /** Core-ms that were used so far. */
  get usedMs(): number {
    return this.used;
  }

  isBusy(station: number): boolean {
    return this.widths[station]! > 0;
  }

  /**
   * @param ms that it takes alone
   * @param width cores that it takes meanwhile, above zero
   */
  begin(station: number, ms: number, width: number): void {
    this.begun[station] = this.clock;
    this.widths[station] = width;
    this.wanted += width;
    this.ends[station] = this.clock + Math.max(0, ms) / paceOf(width, this.share);
    this.busy.push(station);
    this.moveUp(this.busy.length - 1);
    this.shareOut();
  }

  /** Leaves what a station does undone. */
  drop(station: number): void {
    if (!this.isBusy(station)) return;
    this.busy.splice(this.busy.indexOf(station), 1);
    this.leave(station);
  }

  /** When the next station ends, ms; Infinity when none is busy. It stays the same until a station begins or ends. */
  get nextEnd(): number {
    const { busy } = this;
    return busy.length ? this.ends[busy[busy.length - 1]!]! : Infinity;
  }

  /** Lets time pass; what ends meanwhile must have been taken by `finish` before. */
  advance(to: number): void {
    const ms = to - this.clock;
    if (ms <= 0) return;
    this.used += ms * Math.min(this.capacity, this.wanted);
    this.clock = to;
  }

  /** How long that took which ended last, ms. */
  tookMs = 0;

  /** Ends what ends first, at its time. @returns its station */
  finish(): number {
    const station = this.busy.pop()!;
    this.advance(this.ends[station]!);
    this.tookMs = this.clock - this.begun[station]!;
    this.leave(station);
    return station;
  }

  private leave(station: number): void {
    this.wanted = this.busy.length ? this.wanted - this.widths[station]! : 0;
    this.widths[station] = 0;
    this.shareOut();
  }

  /** Brings a station to its place among those before it in the list, which are in order. */
  private moveUp(at: number): void {
    const { busy } = this;
    const station = busy[at]!;
    let place = at;
    for (; place > 0 && this.endsBefore(busy[place - 1]!, station); place--) busy[place] = busy[place - 1]!;
    busy[place] = station;
  }

  // Of two that end at once, the lower station is first, so that a result never hangs on the order of beginning.
  private endsBefore(one: number, other: number): boolean {
    const end = this.ends[one]!;
    const otherEnd = this.ends[other]!;
    return end < otherEnd || (end === otherEnd && one < other);
  }

  /** What is under way goes on at the pace that everybody has from now on. */
  private shareOut(): void {
    const share = this.wanted > this.capacity ? this.fairShare() : 1;
    if (share === this.share) return;
    for (const each of this.busy) {
      const left = Math.max(0, this.ends[each]! - this.clock);
      const width = this.widths[each]!;
      this.ends[each] = this.clock + (left * paceOf(width, this.share)) / paceOf(width, share);
    }
    this.share = share;
    for (let at = 1; at < this.busy.length; at++) this.moveUp(at);
  }

  /** Who wants less than its share leaves the rest to the others, until nobody does. */
  private fairShare(): number {
    let share = 0;
    for (;;) {
      let left = this.capacity;
      let threads = 0;
      for (const each of this.busy) {
        const width = this.widths[each]!;
        if (useOf(width) <= share) left -= width;
        else threads += Math.ceil(width);
      }
      if (threads === 0 || left / threads <= share) return share;
      share = left / threads;
    }
  }
}

/** Share of the time that each thread of a station works when nobody is in its way. */
const useOf = (width: number): number => width / Math.ceil(width);

/** Of what a station would do alone. @param share of a core that every thread may have */
const paceOf = (width: number, share: number): number =>
  share === 1 ? 1 : Math.min(1, share / useOf(width));
