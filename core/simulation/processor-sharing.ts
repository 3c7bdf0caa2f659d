/** Initial capacity for different speeds at a time. */
const FEW = 4;

/**
 * Cores, or a drive, that several jobs share. Each does one thing at a time, with as many threads as it takes cores
 * meanwhile, rounded up. While they want more than there is, every thread gets the same share of it, unless it wants less
 * (max-min fairness; Bertsekas, Gallager, Data Networks, 2nd edition, 6.5.2), as a fair scheduler hands out cores: what
 * has one thread that always works loses more than what has two that wait between whiles.
 *
 * Jobs whose threads want the same share form a group: all of it go at one pace, so that they end in the order of what
 * is left of them on a clock that goes at it, and nothing is computed anew for each of them when the pace changes (virtual
 * time; Parekh, Gallager, A generalized processor sharing approach to flow control, IEEE/ACM Transactions on Networking 1,
 * 1993).
 */
export class ProcessorSharing {
  private clock = 0;
  private wanted = 0;
  private used = 0;
  /** Share of a core for every thread; 1 while there are enough cores. */
  private share = 1;
  /** Jobs that do something. */
  private doingCount = 0;
  /** State of each job: whether it runs, its cores, threads and group. */
  private readonly doing: Uint8Array;
  private readonly widths: Float64Array;
  private readonly threads: Float64Array;
  private readonly groupOf: Uint16Array;
  /** When each began, ms, and when it ends on the clock of its group. */
  private readonly begun: Float64Array;
  private readonly ends: Float64Array;
  /** Cores per thread that each group uses alone on the machine. */
  private readonly uses: number[] = [1];
  /** State of each group: its clock, ms; the time at which that was read, ms; its speed. */
  private clocks = new Float64Array(FEW);
  private readAt = new Float64Array(FEW);
  private paces = new Float64Array(FEW).fill(1);
  /** Cores and threads that each takes. */
  private groupWidths = new Float64Array(FEW);
  private groupThreads = new Float64Array(FEW);
  /** Jobs of each that do something, the one that ends first behind the others. */
  private readonly busy: number[][] = [[]];
  /** The group of who ends first, and when that is; known when all have their share. */
  private next = -1;
  private firstEnd = Infinity;
  private isSharedOut = true;

  /**
   * @param capacity cores that can be had; 1 for a drive
   * @param jobs number of jobs
   * @throws RangeError when there is no capacity
   */
  constructor(
    readonly capacity: number,
    jobs: number,
  ) {
    if (!(capacity > 0)) throw new RangeError(`A machine needs a capacity above zero, but has ${capacity}.`);
    this.doing = new Uint8Array(jobs);
    this.widths = new Float64Array(jobs).fill(1);
    this.threads = new Float64Array(jobs).fill(1);
    this.groupOf = new Uint16Array(jobs);
    this.begun = new Float64Array(jobs);
    this.ends = new Float64Array(jobs);
  }

  /** ms */
  get now(): number {
    return this.clock;
  }

  /** Core-ms that were used so far. */
  get usedMs(): number {
    return this.used;
  }

  isBusy(job: number): boolean {
    return this.doing[job] === 1;
  }

  /** @param width cores that an idle job takes from now on while it does something, above zero; 1 until then */
  setWidth(job: number, width: number): void {
    if (this.widths[job] === width) return;
    this.widths[job] = width;
    this.threads[job] = Math.ceil(width);
    this.groupOf[job] = this.groupFor(width / Math.ceil(width));
  }

  /** @param ms that it takes alone */
  begin(job: number, ms: number): void {
    const group = this.groupOf[job]!;
    const width = this.widths[job]!;
    this.doing[job] = 1;
    this.doingCount++;
    this.wanted += width;
    this.groupWidths[group]! += width;
    this.groupThreads[group]! += this.threads[job]!;
    this.begun[job] = this.clock;
    this.ends[job] = this.clockOf(group) + Math.max(0, ms);
    this.enter(job, this.busy[group]!);
    this.isSharedOut = false;
  }

  /** Leaves what a job does undone. */
  drop(job: number): void {
    if (!this.isBusy(job)) return;
    const group = this.groupOf[job]!;
    const busy = this.busy[group]!;
    busy.splice(busy.indexOf(job), 1);
    this.leave(job, group);
  }

  /** When the next job ends, ms; Infinity when none is busy. It stays the same until a job begins or ends. */
  get nextEnd(): number {
    if (!this.isSharedOut) this.shareOut();
    return this.firstEnd;
  }

  /** Advances time; jobs that end meanwhile must have been removed by `finish`. */
  advance(to: number): void {
    if (to <= this.clock) return;
    if (!this.isSharedOut) this.shareOut();
    this.used += (to - this.clock) * Math.min(this.capacity, this.wanted);
    this.clock = to;
  }

  /** Duration of the job that ended last, ms. */
  tookMs = 0;

  /** Ends what ends first, at its time; of several, the lowest. @returns its job */
  finish(): number {
    if (!this.isSharedOut) this.shareOut();
    this.advance(this.firstEnd);
    const group = this.next;
    const job = this.busy[group]!.pop()!;
    this.tookMs = this.clock - this.begun[job]!;
    this.leave(job, group);
    return job;
  }

  private leave(job: number, group: number): void {
    const width = this.widths[job]!;
    this.doing[job] = 0;
    this.doingCount--;
    this.wanted -= width;
    this.groupWidths[group]! -= width;
    this.groupThreads[group]! -= this.threads[job]!;
    // What rounding has left goes.
    if (this.doingCount === 0) this.wanted = 0;
    if (this.busy[group]!.length === 0) this.groupWidths[group] = 0;
    this.isSharedOut = false;
  }

  /** Takes a job in among those of its group, at its place. Of two that end at once, the lower one is first. */
  private enter(job: number, busy: number[]): void {
    const { ends } = this;
    const end = ends[job]!;
    let place = busy.length;
    busy.push(job);
    for (; place > 0; place--) {
      const other = busy[place - 1]!;
      const otherEnd = ends[other]!;
      if (otherEnd > end || (otherEnd === end && other > job)) break;
      busy[place] = other;
    }
    busy[place] = job;
  }

  private groupFor(use: number): number {
    const known = this.uses.indexOf(use);
    if (known >= 0) return known;
    const group = this.uses.length;
    if (group === this.clocks.length) this.makeRoom();
    this.uses.push(use);
    this.busy.push([]);
    this.readAt[group] = this.clock;
    this.paces[group] = paceOf(use, this.share);
    return group;
  }

  private makeRoom(): void {
    const more = (values: Float64Array): Float64Array<ArrayBuffer> => {
      const wide = new Float64Array(2 * values.length);
      wide.set(values);
      return wide;
    };
    this.clocks = more(this.clocks);
    this.readAt = more(this.readAt);
    this.paces = more(this.paces);
    this.groupWidths = more(this.groupWidths);
    this.groupThreads = more(this.groupThreads);
  }

  private clockOf(group: number): number {
    return this.clocks[group]! + (this.clock - this.readAt[group]!) * this.paces[group]!;
  }

  /** Continues running jobs at the speed that each has from now on. */
  private shareOut(): void {
    const groups = this.uses.length;
    const share = this.wanted > this.capacity ? this.fairShare() : 1;
    const isOther = share !== this.share;
    this.share = share;
    this.isSharedOut = true;
    let next = -1;
    let first = Infinity;
    for (let group = 0; group < groups; group++) {
      if (isOther) this.goAt(group, share);
      const busy = this.busy[group]!;
      if (busy.length === 0) continue;
      const left = this.ends[busy[busy.length - 1]!]! - this.clocks[group]!;
      const pace = this.paces[group]!;
      const end = this.readAt[group]! + (pace === 1 ? left : left / pace);
      if (end > first || (end === first && this.firstOf(next) < this.firstOf(group))) continue;
      first = end;
      next = group;
    }
    this.next = next;
    this.firstEnd = first;
  }

  private goAt(group: number, share: number): void {
    this.clocks[group] = this.clockOf(group);
    this.readAt[group] = this.clock;
    this.paces[group] = paceOf(this.uses[group]!, share);
  }

  private firstOf(group: number): number {
    const busy = this.busy[group]!;
    return busy[busy.length - 1]!;
  }

  /** Distributes unused shares among the other jobs, until none is left (max-min fairness). */
  private fairShare(): number {
    let share = 0;
    for (;;) {
      let left = this.capacity;
      let threads = 0;
      for (let group = 0; group < this.uses.length; group++)
        if (this.uses[group]! <= share) left -= this.groupWidths[group]!;
        else threads += this.groupThreads[group]!;
      if (threads === 0 || left / threads <= share) return share;
      share = left / threads;
    }
  }
}

/**
 * Speed of a job over that alone on the machine.
 * @param use cores it wants per thread
 * @param share of a core for each thread
 */
const paceOf = (use: number, share: number): number => (share === 1 ? 1 : Math.min(1, share / use));
