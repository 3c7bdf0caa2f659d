/**
 * Cores, or a drive, that several stations share: while they want more than there is, all of them slow down alike.
 * Each station does one thing at a time, and takes up to its width of the machine while it does.
 */
export class SharedMachine {
  /** Runs slower than the clock while the machine is full: what is begun ends at a fixed virtual time. */
  private virtual = 0;
  private clock = 0;
  private wanted = 0;
  private pace = 1;
  private used = 0;
  private readonly ends: Float64Array;
  private readonly begun: Float64Array;
  private readonly widths: Float64Array;
  private readonly busy: number[] = [];
  /** The station that ends first; -1 when none is busy. */
  private first = -1;
  private endAt = Infinity;

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
    this.ends[station] = this.virtual + Math.max(0, ms);
    this.begun[station] = this.clock;
    this.widths[station] = width;
    this.busy.push(station);
    this.wanted += width;
    if (this.first < 0 || this.ends[station] < this.ends[this.first]!) this.first = station;
    this.setPace();
  }

  /** Leaves what a station does undone. */
  drop(station: number): void {
    if (this.isBusy(station)) this.leave(station);
  }

  /** When the next station ends, ms; Infinity when none is busy. It stays the same until a station begins or ends. */
  get nextEnd(): number {
    return this.endAt;
  }

  /** Lets time pass; what ends meanwhile must have been taken by `finish` before. */
  advance(to: number): void {
    const ms = to - this.clock;
    if (ms <= 0) return;
    this.virtual += ms * this.pace;
    this.used += ms * Math.min(this.capacity, this.wanted);
    this.clock = to;
  }

  /** How long that took which ended last, ms. */
  tookMs = 0;

  /** Ends what ends first, at its time. @returns its station */
  finish(): number {
    const station = this.first;
    this.advance(this.endAt);
    this.tookMs = this.clock - this.begun[station]!;
    this.leave(station);
    return station;
  }

  private leave(station: number): void {
    this.wanted -= this.widths[station]!;
    this.widths[station] = 0;
    const { busy, ends } = this;
    busy[busy.indexOf(station)] = busy.at(-1)!;
    busy.pop();
    if (busy.length === 0) this.wanted = 0;
    if (station === this.first) {
      this.first = -1;
      // Of two that end at once, the lower station is first, so that a result never hangs on the order of beginning.
      for (const each of busy)
        if (
          this.first < 0 ||
          ends[each]! < ends[this.first]! ||
          (ends[each]! === ends[this.first]! && each < this.first)
        )
          this.first = each;
    }
    this.setPace();
  }

  private setPace(): void {
    this.pace = this.wanted > this.capacity ? this.capacity / this.wanted : 1;
    this.endAt =
      this.first < 0 ? Infinity : this.clock + Math.max(0, this.ends[this.first]! - this.virtual) / this.pace;
  }
}
