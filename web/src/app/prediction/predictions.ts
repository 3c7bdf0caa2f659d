import { computed, DestroyRef, effect, inject, Injectable, signal, untracked } from '@angular/core';
import { Store } from '@ngrx/store';
import { wrap, type Remote } from 'comlink';
import type { Recommendation, TuningFigures } from '@hone/core/findings';
import type { PreviewScale, Tuning } from '@hone/core/levers';
import { FrameLog, type PredictedFigures } from '@hone/core/playback';
import { triedRig, UNCALIBRATED, type Calibration } from '@hone/core/cost-model';
import {
  memoryShares,
  roughRig,
  SIMULATED_RIGS,
  simulatedDrive,
  usualCeiling,
  type Rig,
} from '@hone/core/machine';
import { expectedDrops, type Capability } from '@hone/core/simulation';
import { toNumber } from '@hone/core/time';
import { Api, sentenceOf } from '../api/api';
import { RunLogs } from '../playback/run-logs';
import { mediaFeature } from '../state/media.feature';
import { playbackFeature } from '../state/playback.feature';
import { machineFeature } from '../state/machine.feature';
import {
  selectCopies,
  selectMeasuredRun,
  selectSources,
  selectStretches,
  selectTimeline,
  selectPlayedTuning,
} from '../state/selectors';
import type { CapabilityRequest, LearnRequest, Predicted, PredictionRequest } from './prediction-messages';
import type { Predictor } from './prediction.worker';
import { sameValues } from './same-values';

/** Edits in quick succession are predicted once. */
const SETTLE_MS = 150;
/** Inputs, situation, and memory shares in it. */
const INPUT_DEPTH = 3;

interface Inputs {
  readonly request: Omit<PredictionRequest, 'packets'>;
  /** Number of packet indexes that were read before. */
  readonly indexesRead: number;
}

/** Predicts what playback of the timeline will do, anew whenever something changes, in a worker. */
@Injectable({ providedIn: 'root' })
export class Predictions {
  private readonly store = inject(Store);
  private readonly api = inject(Api);
  private readonly logs = inject(RunLogs);
  private readonly timeline = this.store.selectSignal(selectTimeline);
  private readonly tuning = this.store.selectSignal(selectPlayedTuning);
  private readonly sources = this.store.selectSignal(selectSources);
  private readonly copies = this.store.selectSignal(selectCopies);
  private readonly stretches = this.store.selectSignal(selectStretches);
  private readonly estimates = this.store.selectSignal(mediaFeature.selectEstimates);
  private readonly machine = this.store.selectSignal(machineFeature.selectMachineState);
  private readonly state = this.store.selectSignal(playbackFeature.selectState);
  private readonly run = this.store.selectSignal(selectMeasuredRun);
  private readonly scrubs = this.store.selectSignal(playbackFeature.selectScrubs);
  private worker: Worker | undefined;
  private predictor: Remote<Predictor> | undefined;
  /** Number of the newest request; answers to older ones are ignored. */
  private count = 0;
  private readonly sent = new Set<string>();
  private readonly fetched = new Map<string, Uint8Array>();
  private readonly indexesRead = signal(0);
  private readonly indexesPending = signal(0);

  /** The rig of this machine: measured, or a rough one until it is. */
  private readonly here = computed((): Rig | null => {
    const { own, now, known, trials } = this.machine();
    return own ?? (known && now ? triedRig(roughRig(now.machine), trials) : null);
  });
  /** The rig that the timeline is predicted on. */
  readonly rig = computed((): Rig | null => {
    const { loaded, whatIfRigId } = this.machine();
    if (whatIfRigId === null) return this.here();
    return [...loaded, ...SIMULATED_RIGS].find(({ id }) => id === whatIfRigId) ?? this.here();
  });
  /** Whether the timeline is predicted on a machine that is not this one. */
  readonly isWhatIf = computed(() => this.rig() !== this.here());
  /** Whether this machine is not measured yet, so that figures of a similar one are used. */
  readonly isRough = computed(() => !this.isWhatIf() && this.here() !== null && this.machine().own === null);
  private readonly found = signal<Predicted | null>(null);
  private readonly recommended = signal<readonly (readonly Recommendation[])[] | null>(null);
  /** Last prediction; null before the first, and without a rig. */
  readonly predicted = this.found.asReadonly();
  /** Inputs of the last prediction. */
  private readonly asked = signal<Inputs | undefined>(undefined);
  /** Inputs of the last prediction that has an answer. */
  private readonly answered = signal<Inputs | undefined>(undefined);
  /** Predicted effect of lever changes for each finding; null while in progress, or of another situation. */
  readonly recommendations = computed(() =>
    this.asked()?.request === this.request() ? this.recommended() : null,
  );
  private readonly automatic = signal<{ readonly scale: PreviewScale; readonly inputs: Inputs } | null>(null);
  /** The sharpest preview scale that plays in the present situation; null unless it is automatic and predicted. */
  readonly automaticScale = computed(() => {
    const found = this.automatic();
    return found?.inputs.request === this.request() ? found.scale : null;
  });
  /** Whether a prediction of the present situation is still to come. */
  readonly isPending = computed(() => {
    const answered = this.answered();
    const isAnswered = answered?.request === this.request() && answered.indexesRead === this.indexesRead();
    return this.request() !== null && !this.problem() && (!isAnswered || this.indexesPending() > 0);
  });
  /** Whether nothing plays: only then is anything computed. */
  readonly isStill = computed(() => this.state() === 'still');
  readonly problem = signal<string | null>(null);
  readonly log = computed(() => {
    const predicted = this.found();
    return predicted ? new FrameLog(0, predicted.log) : undefined;
  });

  constructor() {
    effect((onCleanup) => {
      // Everything that a prediction is made from; while it plays, nothing is computed beside it.
      const request = this.request();
      const indexesRead = this.indexesRead();
      if (!this.isStill()) return void this.predictor?.stop();
      if (!request) return;
      const soon = setTimeout(() => untracked(() => this.ask({ request, indexesRead })), SETTLE_MS);
      onCleanup(() => clearTimeout(soon));
    });
    inject(DestroyRef).onDestroy(() => this.worker?.terminate());
  }

  /** Compared by its values: what else happens on the page asks for no other prediction. */
  private readonly request = computed((): Inputs['request'] | null => this.inputs(), {
    equal: (one, other) => sameValues(one, other, INPUT_DEPTH),
  });

  private inputs(): Inputs['request'] | null {
    const timeline = this.timeline();
    const tuning = this.tuning();
    const rig = this.rig();
    if (!timeline || !tuning || !rig) return null;
    if (!timeline.tracks.some(({ kind, clips }) => kind === 'picture' && clips.length)) return null;
    const { driveId, settings } = this.machine();
    const isOwn = !this.isWhatIf();
    const simulated = isOwn ? simulatedDrive(driveId) : undefined;
    const ceiling = isOwn ? settings?.memoryCeilingBytes : undefined;
    const run = this.run();
    const log = run && this.logs.all().get(run.id);
    return {
      situation: {
        ...{ timeline, tuning, rig, sources: this.sources(), copies: this.copies() },
        stretches: this.stretches(),
        shares: memoryShares(ceiling ?? usualCeiling(rig.machine.memoryBytes), rig.machine.cores),
        drive: simulated ? { ...simulated, bytesPerSecond: simulated.readBytesPerSecond } : null,
        calibration: rig.calibration ?? UNCALIBRATED,
      },
      measured:
        isOwn && run && log
          ? {
              runId: run.id,
              firstFrame: log.firstFrame,
              log: log.values,
              summary: run.summary,
              facts: run.facts,
            }
          : null,
      isRough: this.isRough(),
      scrub: isOwn ? (this.scrubs()[0]?.facts ?? null) : null,
      planned: isOwn ? this.planned(rig) : null,
    };
  }

  private planned(rig: Rig): PredictionRequest['planned'] {
    const making = this.copies().filter(({ state }) => state === 'making');
    const bytes = this.estimates()
      .filter((each) =>
        making.some(({ sourceId, divisor }) => sourceId === each.sourceId && divisor === each.divisor),
      )
      .reduce((sum, each) => sum + each.bytes, 0);
    const drive = rig.drives.find(({ holds }) => holds.includes('light copies'));
    return bytes > 0 && drive ? { bytes, freeBytes: drive.freeBytes } : null;
  }

  /** Ranges of the decode plan; undefined without one, after an edit until it is predicted, and on a rough rig. */
  readonly ranges = computed(() => {
    if (this.isWhatIf() || this.isRough()) return undefined;
    const [before, now] = [this.answered()?.request.situation, this.request()?.situation];
    const isSame =
      before?.timeline === now?.timeline &&
      before?.tuning === now?.tuning &&
      before?.rig.id === now?.rig.id &&
      before?.stretches === now?.stretches;
    return isSame ? this.found()?.ranges : undefined;
  });

  /** Prediction for frames [from, to); null unless it is for this machine as measured. */
  figuresFor(from: number, to: number): PredictedFigures | null {
    const predicted = this.found();
    if (!predicted || this.isWhatIf() || this.isRough() || to <= from) return null;
    const dropped = expectedDrops(predicted, from, to);
    const framesPerSecond = (1 - dropped / (to - from)) * toNumber(predicted.rate);
    return { framesPerSecond, dropped: Math.round(dropped) };
  }

  private ask(inputs: Inputs): void {
    this.fetchIndexes();
    const packets = [...this.fetched].filter(([id, bytes]) => bytes.length > 0 && !this.sent.has(id));
    for (const [id] of packets) this.sent.add(id);
    this.recommended.set(null);
    this.asked.set(inputs);
    void this.predict(inputs, packets);
  }

  private async predict(inputs: Inputs, packets: PredictionRequest['packets']): Promise<void> {
    const mine = ++this.count;
    const predictor = this.started();
    try {
      const predicted = await predictor.predict({ ...inputs.request, packets });
      if (!predicted || mine !== this.count) return;
      this.problem.set(null);
      this.found.set(predicted);
      this.answered.set(inputs);
      if (inputs.request.situation.tuning.autoScale && !this.isWhatIf()) {
        const scale = await predictor.automaticScale();
        if (mine === this.count) this.automatic.set(scale && { scale, inputs });
      }
      // They are predicted anew, and better, as soon as the indexes are here.
      if (this.indexesPending() > 0) return;
      const recommended = await predictor.recommend();
      if (mine === this.count) this.recommended.set(recommended);
    } catch (error) {
      if (mine === this.count) this.problem.set(sentenceOf(error));
    }
  }

  /** How the present situation would play with a tuning; null where it changes meanwhile, or is not predicted. */
  async withTuning(tuning: Tuning): Promise<TuningFigures | null> {
    const mine = this.count;
    if (!this.predictor || !this.isStill() || !this.recommendations()) return null;
    const figures = await this.predictor.withTuning(tuning);
    return mine === this.count ? figures : null;
  }

  /** What a rig plays of each source, beside other predictions; sources without a picture are left out. */
  async capabilities(request: CapabilityRequest): Promise<readonly Capability[]> {
    const worker = newWorker();
    try {
      return await wrap<Predictor>(worker).capabilities(request);
    } finally {
      worker.terminate();
    }
  }

  private started(): Remote<Predictor> {
    if (this.predictor) return this.predictor;
    const worker = newWorker();
    worker.addEventListener('error', ({ message }) => this.problem.set(message || 'The prediction failed.'));
    this.worker = worker;
    return (this.predictor = wrap<Predictor>(worker));
  }

  /**
   * What calibration of this machine a run teaches that was played as predicted last; null where it was not measured, or
   * another machine was predicted.
   * @param facts tell what the run did not decode
   */
  async learn(log: FrameLog, facts: LearnRequest['facts']): Promise<Calibration | null> {
    if (!this.found() || this.isWhatIf() || this.isRough() || !this.predictor) return null;
    return this.predictor.learn({ firstFrame: log.firstFrame, log: log.values, facts });
  }

  // With its packet index a source is predicted group by group; until it is here, with groups of the usual length.
  private fetchIndexes(): void {
    const used = new Set(
      (this.timeline()?.tracks ?? []).flatMap(({ clips }) => clips.map(({ sourceId }) => sourceId)),
    );
    for (const { id, structure } of this.sources()) {
      if (!structure || !used.has(id) || this.fetched.has(id)) continue;
      this.fetched.set(id, new Uint8Array());
      this.indexesPending.update((count) => count + 1);
      void this.api
        .packets(id)
        .then((bytes) => {
          this.fetched.set(id, bytes);
          this.indexesRead.update((count) => count + 1);
        })
        .catch(() => {
          this.sent.add(id);
          this.indexesRead.update((count) => count + 1);
        })
        .finally(() => this.indexesPending.update((count) => count - 1));
    }
  }
}

const newWorker = (): Worker =>
  new Worker(new URL('./prediction.worker', import.meta.url), { type: 'module' });
