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
  private readonly busy: number[] = [];
  /** The station that ends first; -1 when none is busy. */
  private first = -1;

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
    this.busy.push(station);
    this.wanted += width;
    this.ends[station] = this.clock + Math.max(0, ms) / paceOf(width, this.share);
    if (this.first < 0 || this.ends[station] < this.ends[this.first]!) this.first = station;
    this.shareOut();
  }

  /** Leaves what a station does undone. */
  drop(station: number): void {
    if (this.isBusy(station)) this.leave(station);
  }

  /** When the next station ends, ms; Infinity when none is busy. It stays the same until a station begins or ends. */
  get nextEnd(): number {
    return this.first < 0 ? Infinity : this.ends[this.first]!;
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
    const station = this.first;
    this.advance(this.ends[station]!);
    this.tookMs = this.clock - this.begun[station]!;
    this.leave(station);
    return station;
  }

  private leave(station: number): void {
    const { busy } = this;
    this.wanted -= this.widths[station]!;
    this.widths[station] = 0;
    busy[busy.indexOf(station)] = busy.at(-1)!;
    busy.pop();
    if (busy.length === 0) this.wanted = 0;
    if (station === this.first) this.findFirst();
    this.shareOut();
  }

  private findFirst(): void {
    const { ends } = this;
    this.first = -1;
    // Of two that end at once, the lower station is first, so that a result never hangs on the order of beginning.
    for (const each of this.busy)
      if (
        this.first < 0 ||
        ends[each]! < ends[this.first]! ||
        (ends[each]! === ends[this.first]! && each < this.first)
      )
        this.first = each;
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
    this.findFirst();
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
