import { inject, Injectable } from '@angular/core';
import { Store } from '@ngrx/store';
import type { MachineNow, Source } from '@hone/core/api';
import { DECODE_PATHS } from '@hone/core/levers';
import {
  decoderSamples,
  strongerGraphics,
  decodedFigures,
  type DecodeFigures,
  type DecodeSample,
  type Rig,
} from '@hone/core/machine';
import { RigProbe, tryCacheFormats, tryDecoding } from '@hone/player';
import { Api, sentenceOf } from '../api/api';
import { RigActions } from '../state/actions';
import { selectProject, selectSources } from '../state/selectors';
import { BackgroundHold } from './background-hold';
import { displayRate, seenCanvas } from './page-probes';
import { emptyRig, figure, flatOut, perMegapixel } from './rig-figures';

/** A quick measurement leaves out what it would begin later than this. */
const QUICK_BUDGET_MS = 45_000;
/** A load by others above which a measurement is repeated once, and else marked. */
const DISTURBED = 0.3;
const CALM_MS = 3000;

const SHOWN_SIZES = [
  { width: 480, height: 270 },
  { width: 960, height: 540 },
  { width: 1920, height: 1080 },
  { width: 3840, height: 2160 },
];

/** So many sources are decoded. */
const DECODED = { quick: 6, thorough: 24 };
/** And the heaviest of them once more later, since no machine is equally fast all the time. */
const DECODED_AGAIN = 6;
/** Length of each round, seconds. */
const DECODED_SECONDS = { quick: 0.7, thorough: 4 };

/** A part of the measurement, with a guess of what it takes, for the progress. */
interface Step {
  readonly what: string;
  readonly seconds: number;
  run(): Promise<void>;
}

/** Figures of each source, by the path that it was decoded by. */
type Decoded = Map<
  string,
  readonly { readonly samples: readonly DecodeSample[]; readonly figures: DecodeFigures }[]
>;

class Cancelled extends Error {}

/** Measures the machine: what the browser does in a worker, the rest by the server. One measurement at a time. */
@Injectable({ providedIn: 'root' })
export class RigMeasurement {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly hold = inject(BackgroundHold);
  private readonly project = this.store.selectSignal(selectProject);
  private readonly sources = this.store.selectSignal(selectSources);
  private abort: AbortController | undefined;
  private probe: RigProbe | undefined;

  get isRunning(): boolean {
    return this.abort !== undefined;
  }

  cancel(): void {
    this.abort?.abort();
    this.probe?.dispose();
  }

  /** Measures and keeps the rig. Ends quietly when it is cancelled. */
  async measure(thorough: boolean): Promise<void> {
    if (this.abort) return;
    const abort = new AbortController();
    this.abort = abort;
    try {
      const rig = await this.hold.during(() => this.measured(thorough, abort.signal));
      const own = await this.api.keepRig(rig);
      this.store.dispatch(RigActions.measured({ rig: own }));
    } catch (error) {
      const message = abort.signal.aborted ? null : sentenceOf(error);
      this.store.dispatch(RigActions.measurementEnded({ message }));
    } finally {
      this.probe?.dispose();
      this.probe = undefined;
      this.abort = undefined;
    }
  }

  private async measured(thorough: boolean, signal: AbortSignal): Promise<Rig> {
    const started = performance.now();
    const about = { projectId: this.project()?.id ?? '', thorough };
    const rig: { -readonly [K in keyof Rig]: Rig[K] } = emptyRig(thorough);
    let now: MachineNow | undefined;
    const rounds = thorough ? 24 : 6;
    const decoded: Decoded = new Map();
    const served = Math.min(thorough ? 24 : 3, decoderSamples(this.sources()).length);
    const probe = await RigProbe.create('/player/');
    this.probe = probe;
    const steps: Step[] = [
      {
        what: 'the machine',
        seconds: 1,
        run: async () => {
          now = await this.api.machine(signal);
          rig.machine = now.machine;
        },
      },
      {
        what: 'the graphics processor',
        seconds: thorough ? 8 : 2,
        run: async () => {
          const disturbed = await this.calm(signal);
          const { renderer, software, ms, megapixels } = await probe.graphics(thorough ? 12 : 3);
          const stronger = strongerGraphics(renderer, now?.graphics ?? []);
          rig.graphics = { ...rig.graphics, renderer, software, stronger };
          const method = software ? 'WebGL, software renderer' : 'WebGL';
          if (ms.length) {
            const msPerMegapixel = perMegapixel(ms, megapixels, method, disturbed);
            const kernel = 'upload and reduce 1:4';
            rig.kernels.push({
              stage: 'scale',
              kernel,
              on: 'graphics processor',
              msPerMegapixel,
              of: 'source',
            });
          }
        },
      },
      {
        what: 'scaling, effects and composing',
        seconds: thorough ? 6 : 2,
        run: async () => {
          const disturbed = await this.calm(signal);
          for (const { ms, megapixels, ...kernel } of await probe.kernels(rounds)) {
            const msPerMegapixel = perMegapixel(ms, megapixels, 'the player’s own functions', disturbed);
            rig.kernels.push({ ...kernel, on: 'processor', msPerMegapixel });
          }
        },
      },
      {
        what: 'showing',
        seconds: thorough ? 24 : 5,
        run: async () => {
          const disturbed = await this.calm(signal);
          const { canvas, figure: seen } = seenCanvas();
          try {
            await probe.showOn(canvas);
            const method = 'colours and canvas, in a worker';
            for (const { size, ms } of await probe.shows(SHOWN_SIZES, rounds))
              rig.shows.push({ ...size, ms: figure(ms, method, disturbed) });
            const largest = rig.shows.pop();
            if (largest) rig.shows.push(await this.presented(largest, probe, thorough, disturbed));
            await this.composedOnGraphics(rig, probe, rounds, disturbed);
          } finally {
            seen.remove();
          }
          rig.graphics = { ...rig.graphics, displayHz: await displayRate() };
        },
      },
      ...this.decodeSteps(rig, probe, thorough, signal, started, decoded),
      ...(await this.driveSteps(rig, thorough, signal)),
      {
        what: 'the cores',
        seconds: thorough ? 22 : 10,
        run: async () => {
          Object.assign(rig, await this.api.measureProcessor(about, signal));
        },
      },
      ...this.againSteps(probe, thorough, signal, decoded),
      // First, since what the server decodes goes by them from then on.
      {
        what: 'hardware paths of ffmpeg',
        seconds: 6,
        run: async () => {
          rig.hardwarePaths = await this.api.measureHardwarePaths(about, signal);
        },
      },
      {
        what: 'codings of cached stretches',
        seconds: 12,
        run: async () => {
          const disturbed = await this.calm(signal);
          try {
            const tried = await this.api.tryCacheFormats(about, signal);
            const seconds = DECODED_SECONDS[thorough ? 'thorough' : 'quick'];
            const decoded = await tryCacheFormats(probe, tried, seconds, disturbed);
            rig.decoders.push(...tried.decoders, ...decoded);
            rig.cacheFormats = [...tried.formats];
          } finally {
            await this.api.removeTriedFormats();
          }
        },
      },
      {
        what: 'decoding by the server',
        seconds: served * (thorough ? 12 : 5),
        run: async () => {
          rig.decoders.push(...(await this.api.measureServerDecoders(about, signal)));
        },
      },
    ];
    await this.runAll(steps, signal, thorough);
    return { ...rig, measuredAt: new Date().toISOString() };
  }

  private async composedOnGraphics(
    rig: Pick<Rig, 'graphics' | 'kernels' | 'shows'>,
    probe: RigProbe,
    rounds: number,
    disturbed: boolean,
  ): Promise<void> {
    // In software a large picture takes seconds.
    const isSoftware = rig.graphics.software;
    const sizes = isSoftware ? SHOWN_SIZES.slice(0, 2) : SHOWN_SIZES;
    const times = await probe.graphicsComposing(sizes, isSoftware ? 1 : rounds);
    if (!times) return;
    const on = 'graphics processor';
    for (const { ms, megapixels, ...kernel } of times.kernels) {
      const msPerMegapixel = perMegapixel(ms, megapixels, 'the player’s own shaders', disturbed);
      rig.kernels.push({ ...kernel, on, msPerMegapixel });
    }
    for (const { size, ms: shown } of times.shows)
      rig.shows.push({ ...size, on, ms: figure(shown, 'canvas to canvas, in a worker', disturbed) });
  }

  // A hidden page presents nothing.
  private async presented(
    show: Rig['shows'][number],
    probe: RigProbe,
    thorough: boolean,
    disturbed: boolean,
  ): Promise<Rig['shows'][number]> {
    if (document.hidden) return show;
    const { width, height } = show;
    const { ms, rounds } = await probe.presentation(
      { width, height },
      thorough ? 8 : 5,
      thorough ? 800 : 400,
    );
    const method = 'time missing from all cores, over all rounds';
    return { ...show, presentMs: { ...figure(rounds, method, disturbed), value: ms } };
  }

  private async runAll(steps: readonly Step[], signal: AbortSignal, thorough: boolean): Promise<void> {
    const total = steps.reduce((sum, { seconds }) => sum + seconds, 0);
    const started = performance.now();
    let done = 0;
    for (const { what, seconds, run } of steps) {
      if (signal.aborted) throw new Cancelled();
      const elapsed = (performance.now() - started) / 1000;
      // Time left, at the rate so far.
      const pace = done > 2 ? elapsed / done : 1;
      this.store.dispatch(
        RigActions.measurementProgressed({
          measuring: { what, thorough, done: done / total, secondsLeft: (total - done) * pace },
        }),
      );
      await run();
      done += seconds;
    }
    if (signal.aborted) throw new Cancelled();
  }

  private decodeSteps(
    rig: { decoders: DecodeFigures[] },
    probe: RigProbe,
    thorough: boolean,
    signal: AbortSignal,
    started: number,
    decoded: Decoded,
  ): Step[] {
    const sources = decoderSamples(this.sources());
    const how = thorough ? 'thorough' : 'quick';
    return sources.slice(0, DECODED[how]).map((source) => ({
      what: `decoding ${source.name}`,
      seconds: thorough ? 9 : 3,
      run: async () => {
        if (!thorough && performance.now() - started > QUICK_BUDGET_MS) return;
        const disturbed = await this.calm(signal);
        const trials = await tryDecoding(probe, source, DECODED_SECONDS[how], disturbed);
        for (const { samples, figures } of trials) {
          const together = [];
          for (const decoders of thorough && samples.length ? [2, 3] : []) {
            const several = await this.decodedBy(probe, source, 2, decoders, figures);
            if (several.samples) together.push({ decoders, framesPerSecond: several.framesPerSecond });
          }
          const whole = { ...figures, together };
          rig.decoders.push(whole);
          decoded.set(source.id, [...(decoded.get(source.id) ?? []), { samples, figures: whole }]);
        }
      },
    }));
  }

  private againSteps(probe: RigProbe, thorough: boolean, signal: AbortSignal, decoded: Decoded): Step[] {
    const how = thorough ? 'thorough' : 'quick';
    return decoderSamples(this.sources())
      .slice(0, DECODED_AGAIN)
      .map((source) => ({
        what: `decoding ${source.name} again`,
        seconds: thorough ? 4 : 1,
        run: async () => {
          for (const { figures, samples: first } of decoded.get(source.id) ?? []) {
            if (!figures.msPerFrame) continue;
            const disturbed = (await this.calm(signal)) || figures.msPerFrame.disturbed;
            const { samples } = await this.decodedBy(probe, source, DECODED_SECONDS[how], 1, figures);
            const all = [...first, ...(samples ?? [])];
            const { bitsPerFrame, acceleration } = figures;
            Object.assign(figures, decodedFigures(all, bitsPerFrame, flatOut(disturbed), acceleration));
          }
        },
      }));
  }

  /** Decodes a source flat out by the path of earlier figures. */
  private decodedBy(
    probe: RigProbe,
    { id }: Source,
    seconds: number,
    decoders: number,
    { acceleration }: DecodeFigures,
  ): ReturnType<RigProbe['decode']> {
    const path = DECODE_PATHS.find((each) => each === acceleration);
    return probe.decode(`/media/sources/${id}`, seconds, decoders, false, path);
  }

  private async driveSteps(
    rig: { drives: Rig['drives'] },
    thorough: boolean,
    signal: AbortSignal,
  ): Promise<Step[]> {
    const drives = await this.api.drivesToMeasure(signal);
    return drives.map(({ drive }) => ({
      what: `the drive at ${drive}`,
      seconds: thorough ? 30 : 8,
      run: async () => {
        const figures = await this.api.measureDrive({ drive, thorough }, signal);
        if (figures) rig.drives.push(figures);
      },
    }));
  }

  /** Waits a moment when others keep the machine busy. @returns whether they still do */
  private async calm(signal: AbortSignal): Promise<boolean> {
    if ((await this.api.loadNow(signal)) <= DISTURBED) return false;
    await new Promise((resolve) => setTimeout(resolve, CALM_MS));
    return (await this.api.loadNow(signal)) > DISTURBED;
  }
}
