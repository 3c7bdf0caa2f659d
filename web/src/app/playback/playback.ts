import { computed, DestroyRef, effect, inject, Injectable, signal } from '@angular/core';
import { takeUntilDestroyed } from '@angular/core/rxjs-interop';
import { Actions, ofType } from '@ngrx/effects';
import { Store } from '@ngrx/store';
import { scrubSummary, type FrameLog } from '@hone/core/playback';
import { sourcesOf } from '@hone/core/render';
import { memoryShares } from '@hone/core/machine';
import { timelineLength, timelineFingerprint, type Timeline } from '@hone/core/timeline';
import {
  cachedPartRanges,
  cachedRanges,
  copiedSources,
  Player,
  type FillingProgress,
  type MeasuredFacts,
  type PreviewPlan,
} from '@hone/player';
import { PlayerActions } from '../state/actions';
import { playbackFeature } from '../state/playback.feature';
import {
  selectBusyJobs,
  selectCopies,
  selectLength,
  selectPlan,
  selectProject,
  selectSources,
  selectStretches,
  selectTimeline,
  selectDecoders,
  selectPlayedTuning,
} from '../state/selectors';
import { machineFeature } from '../state/machine.feature';
import { Api, sentenceOf } from '../api/api';
import { Predictions } from '../prediction/predictions';
import { Levers } from './levers';
import { RunLogs } from './run-logs';

/** Longest time until a run reaches the page after a stop. */
const HAND_OVER_MS = 1000;

const VOLUME = 'hone.volume';

function storedVolume(): number {
  const volume = Number(localStorage.getItem(VOLUME) ?? 1);
  return volume >= 0 && volume <= 1 ? volume : 1;
}

const SHUTTLE_SPEEDS = [1, 2, 4, 8];
/** Least number of pictures for a measurement of scrubbing. */
const FEWEST_SCRUBBED = 3;

/** Holds the player and connects it with the store. What changes with every frame stays in the player. */
@Injectable()
export class Playback {
  private readonly store = inject(Store);
  private readonly logs = inject(RunLogs);
  private readonly predictions = inject(Predictions);
  private readonly api = inject(Api);
  private readonly levers = inject(Levers);
  private readonly subjectId = this.store.selectSignal(playbackFeature.selectSubjectId);
  private readonly rig = this.store.selectSignal(machineFeature.selectOwn);
  private readonly driveId = this.store.selectSignal(machineFeature.selectDriveId);
  private readonly plan = this.store.selectSignal(selectPlan);
  private readonly timeline = this.store.selectSignal(selectTimeline);
  private readonly tuning = this.store.selectSignal(selectPlayedTuning);
  private readonly decoders = this.store.selectSignal(selectDecoders);
  private readonly sources = this.store.selectSignal(selectSources);
  private readonly copies = this.store.selectSignal(selectCopies);
  private readonly stretches = this.store.selectSignal(selectStretches);
  private readonly length = this.store.selectSignal(selectLength);
  private readonly project = this.store.selectSignal(selectProject);
  private readonly inFrame = this.store.selectSignal(playbackFeature.selectInFrame);
  private readonly outFrame = this.store.selectSignal(playbackFeature.selectOutFrame);
  private readonly leftAt = this.store.selectSignal(playbackFeature.selectLeftAt);
  private readonly storedFrame = this.store.selectSignal(playbackFeature.selectFrame);
  private player: Player | undefined;
  private given = '';
  /** Plan that the player has. */
  readonly givenPlan = signal<PreviewPlan | null>(null);
  /** Volume of the preview, 0 to 1, and whether it is muted; no edit, and kept by this browser. */
  readonly volume = signal(storedVolume());
  readonly muted = signal(false);
  private speed = 0;
  /** Frame of the last seek, which the player reaches a moment later. */
  private sought = 0;
  private destroyed = false;
  /** Source played alone at the last check. */
  private playedId: string | null;
  /** Whether the player has not been sent to the frame of another subject yet. */
  private isArriving = false;
  /** Timeline at the start of the current run. */
  private playing: Timeline | null = null;
  /** Frame and time of the pointer's last request. */
  private scrubbed: { frame: number; at: number } | undefined;
  private readonly scrubWaits: number[] = [];
  private readonly isMeasuring = this.store.selectSignal(machineFeature.selectMeasuring);
  private readonly jobs = this.store.selectSignal(selectBusyJobs);
  /** What is measured has the machine for itself, and a render makes the same frames for longer. */
  private readonly mustNotFill = computed(
    () => this.isMeasuring() || this.jobs().some(({ kind }) => kind === 'stretch'),
  );
  /** Time and number of frames of the first progress of filling. */
  private fillingBegan: { at: number; done: number } | undefined;

  constructor() {
    this.sought = this.storedFrame();
    this.playedId = this.subjectId();
    // A plan of a long timeline takes longer than an edit may: the edit is drawn first.
    effect((onCleanup) => {
      this.timeline();
      this.tuning();
      this.sources();
      this.copies();
      this.stretches();
      this.decoders();
      this.noteSubject();
      onCleanup(afterPaint(() => this.arrive()));
    });
    effect(() => {
      if (this.mustNotFill()) this.player?.stopFilling();
    });
    inject(Actions)
      .pipe(ofType(PlayerActions.fillingCancelled), takeUntilDestroyed())
      .subscribe(() => this.player?.stopFilling());
    inject(DestroyRef).onDestroy(() => this.leave());
  }

  /** Sets the canvas that the player draws on. */
  async attach(canvas: HTMLCanvasElement): Promise<void> {
    try {
      const { memoryCeilingBytes } = await this.api.machineSettings();
      const shares = memoryShares(memoryCeilingBytes, navigator.hardwareConcurrency);
      const player = await Player.create({ canvas, assets: '/player/', shares });
      if (this.destroyed) {
        player.dispose();
        return;
      }
      this.player = player;
      player.setVolume(this.muted() ? 0 : this.volume());
      player.on('state', (state, frame) => {
        if (state === 'still' && !this.isArriving) this.sought = frame;
        this.store.dispatch(PlayerActions.stateChanged({ state, frame }));
      });
      player.on('still', (frame) => {
        this.noteScrubbed(frame);
        this.store.dispatch(PlayerActions.pictureAtRest({ frame }));
      });
      player.on('pixels', (pixels) => this.store.dispatch(PlayerActions.pixelsChanged({ pixels })));
      player.on('fellBack', (lost) => this.levers.noteLost(lost));
      player.on('lostGraphics', (reason) => this.levers.noteLostGraphics(reason));
      player.on('failed', (message) => this.store.dispatch(PlayerActions.failed({ message })));
      player.on('log', (log) => this.logs.live.set(log));
      player.on('filling', (progress) => this.noteFilling(progress));
      player.on('run', ({ log, facts }) => this.finished(log, facts));
      this.given = '';
      this.give(this.plan());
      // Perhaps someone went elsewhere before there was a player.
      if (this.sought > 0) this.seek(this.sought);
    } catch (error) {
      this.store.dispatch(PlayerActions.failed({ message: sentenceOf(error) }));
    }
  }

  get playhead(): number {
    return this.player?.playhead ?? 0;
  }

  /** The frame at the playhead. */
  get here(): number {
    return this.isMoving ? Math.floor(this.playhead + 1e-3) : this.sought;
  }

  get shownFrame(): number {
    return this.player?.shownFrame ?? -1;
  }

  get isMoving(): boolean {
    return this.player !== undefined && this.player.state !== 'still';
  }

  setVolume(volume: number): void {
    this.volume.set(volume);
    this.muted.set(false);
    localStorage.setItem(VOLUME, String(volume));
    this.player?.setVolume(volume);
  }

  toggleMuted(): void {
    this.muted.update((muted) => !muted);
    this.player?.setVolume(this.muted() ? 0 : this.volume());
  }

  toggle(): void {
    if (this.isMoving) this.pause();
    else this.play();
  }

  /** Plays from the playhead to the out point, or to the end. At the end it begins anew. */
  play(): void {
    const length = this.length();
    if (!this.player || length === 0) return;
    this.arrive();
    const first = this.inFrame() ?? 0;
    const end = (this.outFrame() ?? length - 1) + 1;
    const { here } = this;
    const from = here >= end - 1 || here < first ? first : here;
    this.speed = 1;
    this.playing = this.timeline();
    this.store.dispatch(PlayerActions.runBegun());
    // Predictions are for the timeline, not for a single source.
    const ranges = this.subjectId() === null ? this.predictions.ranges() : undefined;
    void this.player.play(from, Math.min(end, length), ranges);
  }

  pause(): void {
    this.speed = 0;
    this.player?.pause();
  }

  seek(frame: number): void {
    // Where another subject stands must not override where someone goes in it.
    this.noteSubject();
    this.speed = 0;
    const last = Math.max(0, this.length() - 1);
    this.sought = Math.min(last, Math.max(0, Math.round(frame)));
    this.player?.seek(this.sought);
  }

  /**
   * Goes where the pointer is and measures how long its picture takes.
   * @param at ms on the page's clock when the pointer was there
   */
  scrubTo(frame: number, at: number): void {
    if (this.isMoving) return this.seek(frame);
    const before = this.sought;
    this.seek(frame);
    if (this.sought !== before) this.scrubbed = { frame: this.sought, at };
  }

  /** Keeps the measurements of scrubbing at its end. */
  endScrub(): void {
    const waits = this.scrubWaits.splice(0);
    this.scrubbed = undefined;
    const tuning = this.project()?.tuning;
    if (waits.length < FEWEST_SCRUBBED || !tuning) return;
    const facts = { tuning, subjectId: this.subjectId(), ...scrubSummary(waits) };
    this.store.dispatch(PlayerActions.scrubbed({ facts }));
  }

  private noteScrubbed(frame: number): void {
    if (this.scrubbed?.frame !== frame) return;
    this.scrubWaits.push(performance.now() - this.scrubbed.at);
    this.scrubbed = undefined;
  }

  step(frames: number): void {
    this.noteSubject();
    this.seek(this.here + frames);
  }

  /** Shuttles faster in one direction with each call, for J and L. */
  shuttle(direction: 1 | -1): void {
    if (!this.player || this.length() === 0) return;
    this.arrive();
    const same = Math.sign(this.speed) === direction;
    const index = same ? SHUTTLE_SPEEDS.indexOf(Math.abs(this.speed)) + 1 : 0;
    const speed = direction * (SHUTTLE_SPEEDS[Math.min(index, SHUTTLE_SPEEDS.length - 1)] ?? 1);
    if (speed === 1) return this.play();
    this.speed = speed;
    this.player.shuttle(speed);
  }

  mark(point: 'in' | 'out' | 'none'): void {
    const { here } = this;
    let inFrame = point === 'none' ? null : this.inFrame();
    let outFrame = point === 'none' ? null : this.outFrame();
    if (point === 'in') {
      inFrame = here;
      if (outFrame !== null && outFrame <= here) outFrame = null;
    }
    if (point === 'out') {
      outFrame = here;
      if (inFrame !== null && inFrame >= here) inFrame = null;
    }
    this.store.dispatch(PlayerActions.marksSet({ inFrame, outFrame }));
  }

  private noteFilling({ done, all, state }: FillingProgress): void {
    if (state !== 'running') {
      this.fillingBegan = undefined;
      this.store.dispatch(PlayerActions.fillingChanged({ filling: null }));
      return;
    }
    if (this.mustNotFill()) return this.player?.stopFilling();
    this.fillingBegan ??= { at: performance.now(), done };
    const framesMade = done - this.fillingBegan.done;
    const seconds = (performance.now() - this.fillingBegan.at) / 1000;
    const secondsLeft = framesMade > 0 ? (seconds / framesMade) * (all - done) : null;
    this.store.dispatch(PlayerActions.fillingChanged({ filling: { done, all, secondsLeft } }));
  }

  // Leaving the page during playback keeps the run: the player is closed once the run has been handed over.
  private leave(): void {
    this.destroyed = true;
    const { player } = this;
    // The last request may not have been answered yet.
    this.store.dispatch(PlayerActions.placeAsked({ frame: this.here }));
    this.store.dispatch(PlayerActions.fillingChanged({ filling: null }));
    if (!player) return;
    if (player.state === 'still') {
      player.dispose();
      return;
    }
    player.pause();
    setTimeout(() => player.dispose(), HAND_OVER_MS);
  }

  private noteSubject(): void {
    const subjectId = this.subjectId();
    if (subjectId === this.playedId) return;
    this.playedId = subjectId;
    this.isArriving = true;
    // Not the stored frame: a picture of the subject before, still on its way, would have changed it.
    this.sought = subjectId === null ? this.leftAt() : 0;
  }

  /** Gives the player the plan, and sends it to the frame of another subject. */
  private arrive(): void {
    this.noteSubject();
    this.give(this.plan());
    if (!this.isArriving) return;
    this.isArriving = false;
    // Someone may have gone elsewhere meanwhile.
    this.seek(this.sought);
  }

  private give(plan: PreviewPlan | null): void {
    if (!this.player || !plan || plan === this.givenPlan()) return;
    const text = JSON.stringify(plan);
    if (text === this.given) return;
    this.given = text;
    this.givenPlan.set(plan);
    this.store.dispatch(PlayerActions.planGiven({ sourceIds: sourcesOf(plan.preview.graph) }));
    this.player.setPlan(plan);
  }

  private finished(log: FrameLog, { pressedAt, ...measured }: MeasuredFacts): void {
    this.logs.live.set(null);
    const project = this.project();
    const plan = this.givenPlan();
    if (!project || !plan || !this.player) return;
    const facts = {
      firstFrame: log.firstFrame,
      rate: plan.preview.graph.rate,
      tuning: project.tuning,
      subjectId: this.subjectId(),
      played: this.playing && timelineFingerprint(this.playing),
      wholeFrames: this.playing && timelineLength(this.playing),
      copiedSources: copiedSources(plan),
      ...(plan.preview.cached.length
        ? { cached: cachedRanges(plan), cachedParts: cachedPartRanges(plan) }
        : {}),
      ...measured,
      decodeWorkers: this.player.decodeWorkers,
      rigId: this.rig()?.id ?? null,
      driveId: this.driveId(),
      // What is predicted is a run with empty memory.
      predicted: measured.kept.length
        ? null
        : this.predictions.figuresFor(log.firstFrame, log.firstFrame + log.length),
    };
    this.store.dispatch(PlayerActions.runFinished({ facts, log, pressedAt }));
  }
}

/**
 * Runs a callback after the next paint, at the latest after a tenth of a second: a hidden page is
 * not painted.
 * @returns calls it off
 */
function afterPaint(what: () => void): () => void {
  let latest = setTimeout(what, 100);
  const paint = requestAnimationFrame(() => {
    clearTimeout(latest);
    latest = setTimeout(what);
  });
  return () => {
    cancelAnimationFrame(paint);
    clearTimeout(latest);
  };
}
