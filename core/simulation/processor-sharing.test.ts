import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { randomOf, ProcessorSharing } from './index.js';

const SEEDS = [1, 2, 3, 4, 5, 6, 7, 8];
const mean = (values: readonly number[]): number =>
  values.reduce((sum, each) => sum + each, 0) / values.length;

/** Jobs one behind the other, each with a core of its own and a queue before it. @returns jobs per ms */
function tandem(serviceMs: readonly number[], jobs: number): number {
  const machine = new ProcessorSharing(serviceMs.length, serviceMs.length);
  const waiting = serviceMs.map((_, job) => (job === 0 ? jobs : 0));
  const begin = (job: number): void => {
    if (job >= serviceMs.length || machine.isBusy(job) || waiting[job] === 0) return;
    waiting[job]!--;
    machine.begin(job, serviceMs[job]!);
  };
  begin(0);
  let done = 0;
  while (done < jobs) {
    const job = machine.finish();
    if (job + 1 === serviceMs.length) done++;
    else waiting[job + 1]!++;
    begin(job);
    begin(job + 1);
  }
  return jobs / machine.now;
}

/** What of its own pace each of several jobs has, by looking for the share of a core that uses all there is. */
function paces(widths: readonly number[], capacity: number): number[] {
  const used = (share: number): number =>
    widths.reduce((sum, width) => sum + Math.min(width, Math.ceil(width) * share), 0);
  let [low, high] = [0, 1];
  for (let step = 0; step < 60; step++) {
    const middle = (low + high) / 2;
    if (used(middle) > capacity) high = middle;
    else low = middle;
  }
  return widths.map((width) => Math.min(1, (high * Math.ceil(width)) / width));
}

/** The same as a shared machine, with what is left of everything computed anew at every step. */
class PlainMachine {
  now = 0;
  private readonly left = new Map<number, { ms: number; width: number }>();

  constructor(private readonly capacity: number) {}

  has = (job: number): boolean => this.left.has(job);
  begin = (job: number, ms: number, width: number): unknown => this.left.set(job, { ms, width });
  drop = (job: number): unknown => this.left.delete(job);

  private ends(): { job: number; inMs: number }[] {
    const pace = paces(
      [...this.left.values()].map(({ width }) => width),
      this.capacity,
    );
    const ends = [...this.left].map(([job, { ms }], at) => ({ job, inMs: ms / pace[at]! }));
    return ends.sort((a, b) => a.inMs - b.inMs);
  }

  /** What ends first, and when. */
  get next(): { job: number; at: number } | undefined {
    const [first] = this.ends();
    return first && { job: first.job, at: this.now + first.inMs };
  }

  advance(ms: number): void {
    for (const { job, inMs } of this.ends()) this.left.get(job)!.ms *= 1 - ms / inMs;
    this.now += ms;
  }
}

interface Visit {
  readonly waitedMs: number;
  readonly stayedMs: number;
}

/**
 * Jobs that arrive at random, one server, one queue in the order of arrival.
 * @returns what each job waited and stayed, and the mean number of jobs there
 */
function oneServer(
  serviceMs: number,
  load: number,
  jobs: number,
  seed: number,
): { visits: Visit[]; meanThere: number; arrivalsPerMs: number } {
  const random = randomOf(seed);
  const machine = new ProcessorSharing(1, 1);
  const queue: number[] = [];
  const visits: Visit[] = [];
  let nextArrival = 0;
  let arrived = 0;
  let servedSince = 0;
  let servedFrom = 0;
  let there = 0;
  let area = 0;
  let last = 0;
  while (visits.length < jobs) {
    const at = Math.min(nextArrival, machine.nextEnd);
    area += there * (at - last);
    last = at;
    if (machine.nextEnd <= nextArrival) {
      machine.finish();
      there--;
      visits.push({ waitedMs: servedFrom - servedSince, stayedMs: machine.now - servedSince });
    } else {
      machine.advance(nextArrival);
      queue.push(nextArrival);
      there++;
      arrived++;
      nextArrival += (-Math.log(1 - random()) * serviceMs) / load;
    }
    if (!machine.isBusy(0) && queue.length) {
      servedSince = queue.shift()!;
      servedFrom = machine.now;
      machine.begin(0, serviceMs);
    }
  }
  return { visits, meanThere: area / last, arrivalsPerMs: arrived / last };
}

describe('a machine that is shared', () => {
  it.each([[[5, 12, 3]], [[20, 4, 4, 19]], [[7]]])(
    'passes jobs through a tandem line as fast as its slowest stage, %j ms (any queueing text)',
    (services) => {
      const wanted = 1 / Math.max(...services);
      expect(Math.abs(tandem(services, 5000) / wanted - 1)).toBeLessThan(0.02);
    },
  );

  it.each([0.3, 0.6, 0.8])(
    'lets jobs wait as Pollaczek and Khinchine say, rho / (2 mu (1 - rho)), at a load of %f',
    (load) => {
      const serviceMs = 10;
      const waits = SEEDS.map((seed) =>
        mean(oneServer(serviceMs, load, 60_000, seed).visits.map(({ waitedMs }) => waitedMs)),
      );
      const wanted = (load * serviceMs) / (2 * (1 - load));
      expect(Math.abs(mean(waits) / wanted - 1)).toBeLessThan(0.02);
    },
  );

  it('holds as many jobs as arrive in the time that one stays (Little, 1961: L = lambda W)', () => {
    for (const seed of SEEDS) {
      const { visits, meanThere, arrivalsPerMs } = oneServer(10, 0.7, 30_000, seed);
      const stayed = mean(visits.map(({ stayedMs }) => stayedMs));
      expect(Math.abs(meanThere / (arrivalsPerMs * stayed) - 1)).toBeLessThan(0.02);
    }
  });

  it.each([
    [0.5, 2],
    [0.9, 4],
    [0.95, 6],
  ])('speeds work up as Amdahl says (1967): %f of it parallel, on %i cores', (parallel, cores) => {
    const workMs = 1000;
    const parts = 24;
    const machine = new ProcessorSharing(cores, parts);
    machine.begin(0, (1 - parallel) * workMs);
    machine.finish();
    for (let part = 0; part < parts; part++) machine.begin(part, (parallel * workMs) / parts);
    while (machine.nextEnd < Infinity) machine.finish();
    const wanted = 1 / (1 - parallel + parallel / cores);
    expect(Math.abs(workMs / machine.now / wanted - 1)).toBeLessThan(0.02);
  });

  it('shared evenly by all that arrive, keeps one for S / (1 - rho) (Kleinrock, 1967)', () => {
    const [serviceMs, load, jobs] = [10, 0.6, 400];
    const stays = SEEDS.map((seed) => {
      const random = randomOf(seed);
      const machine = new ProcessorSharing(1, jobs);
      const free = Array.from({ length: jobs }, (_, job) => job);
      const stayed: number[] = [];
      let next = 0;
      while (stayed.length < 40_000) {
        if (machine.nextEnd <= next) {
          const job = machine.finish();
          stayed.push(machine.tookMs);
          free.push(job);
        } else {
          machine.advance(next);
          machine.begin(free.pop()!, serviceMs);
          next += (-Math.log(1 - random()) * serviceMs) / load;
        }
      }
      return mean(stayed);
    });
    expect(Math.abs(mean(stays) / (serviceMs / (1 - load)) - 1)).toBeLessThan(0.02);
  });

  it('gives every thread the same share, unless it wants less (max-min fairness)', () => {
    // One thread that works all the time, and two that work four fifths of it, on two cores: two thirds of a core each.
    const two = new ProcessorSharing(2, 2);
    two.begin(0, 20);
    two.setWidth(1, 1.6);
    two.begin(1, 1000);
    two.finish();
    expect(two.now).toBeCloseTo(30);
    // The other one is slowed down to five sixths meanwhile, and not at all when it is alone.
    two.finish();
    expect(two.now).toBeCloseTo(30 + 1000 - 25);
    // A job that wants a tenth of a core slows no other down, and no other slows it down.
    const full = new ProcessorSharing(1, 3);
    full.setWidth(0, 0.1);
    full.begin(0, 10);
    full.begin(1, 9);
    full.begin(2, 90);
    expect([full.finish(), full.now]).toEqual([0, 10]);
    full.finish();
    expect(full.now).toBeCloseTo(10 + 2 * (9 - 4.5));
  });

  it('goes on as one does that computes what is left of everything anew at every step', () => {
    const WIDTHS = [1, 0.15, 1.6, 2, 3.4, 0.7, 2.2, 1.9];
    const act = fc.record({
      job: fc.nat(WIDTHS.length - 1),
      ms: fc.double({ min: 0.5, max: 40, noNaN: true }),
      kind: fc.constantFrom('begin', 'begin', 'finish', 'wait', 'drop'),
    });
    fc.assert(
      fc.property(fc.array(act, { maxLength: 60 }), fc.constantFrom(1, 2, 5, 8), (acts, capacity) => {
        const machine = new ProcessorSharing(capacity, WIDTHS.length);
        WIDTHS.forEach((width, job) => machine.setWidth(job, width));
        const plain = new PlainMachine(capacity);
        for (const { job, ms, kind } of acts) {
          const next = plain.next;
          expect(machine.nextEnd).toBeCloseTo(next?.at ?? Infinity, 6);
          if (kind === 'begin' && !plain.has(job)) {
            machine.begin(job, ms);
            plain.begin(job, ms, WIDTHS[job]!);
          } else if (kind === 'drop') {
            machine.drop(job);
            plain.drop(job);
          } else if (kind === 'wait') {
            const waited = next ? Math.min(ms, 0.9 * (next.at - plain.now)) : ms;
            machine.advance(machine.now + waited);
            plain.advance(waited);
          } else if (kind === 'finish' && next) {
            plain.advance(next.at - plain.now);
            const ended = machine.finish();
            // Of those that end at once, either may be the first.
            if (ended !== next.job) expect(plain.next!.at).toBeCloseTo(machine.now, 6);
            plain.drop(ended);
          }
          expect(machine.now).toBeCloseTo(plain.now, 6);
        }
      }),
    );
  });

  it('counts the core time that is used, and no more than there is', () => {
    const machine = new ProcessorSharing(2, 3);
    for (let job = 0; job < 3; job++) machine.begin(job, 10);
    while (machine.nextEnd < Infinity) machine.finish();
    expect(machine.now).toBeCloseTo(15);
    expect(machine.usedMs).toBeCloseTo(30);
  });

  it('drops what is left undone, and refuses to be nothing', () => {
    const machine = new ProcessorSharing(1, 2);
    machine.begin(0, 10);
    machine.begin(1, 10);
    machine.advance(10);
    machine.drop(0);
    expect(machine.isBusy(0)).toBe(false);
    expect(machine.nextEnd).toBeCloseTo(15);
    expect(() => new ProcessorSharing(0, 1)).toThrow(RangeError);
  });
});
