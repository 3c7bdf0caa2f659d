import type { PictureShares } from '@hone/core/machine';
import { frameAtPlayhead } from '@hone/core/pacing';
import { FrameLog } from '@hone/core/playback';
import type { Passage } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import type { PreviewPlan } from '../plan.js';
import type { Control } from '../shared/control.js';
import { messageOf } from '../shared/message-of.js';
import type {
  Channel,
  DecodeReply,
  DecodeRequest,
  EngineReply,
  EngineRequest,
  PlayerState,
  SoundRequest,
} from '../shared/messages.js';
import { Display } from './display.js';
import { Filler } from './filler.js';
import { FlatOut } from './flat-out.js';
import { KeptPictures } from './kept-pictures.js';
import { layOut, type Layout } from './layout.js';
import { openPassage } from './open-passage.js';
import { perform, type PlayRequest } from './perform.js';
import { PictureRoom } from './picture-room.js';
import { PlanView } from './plan-view.js';
import { Playing } from './playing.js';
import { Prefetcher } from './prefetcher.js';
import type { Screen } from './screen.js';
import { Shuttling } from './shuttling.js';
import { StreamSet } from './stream-set.js';

/** Frames that a decoder at rest may be asked to run ahead before it is cheaper to enter at another key frame. */
const STILL_REACH = 24;
/** Time that a picture of a light copy stays at rest before that of the original replaces it: seeking goes on meanwhile. */
const REFINE_AFTER_MS = 150;
/** Time at rest after a run until pictures that it could not show are made for the next one. */
const FILL_AFTER_MS = 1500;

/** Schedules decoding, showing and dropping of frames by the rules of core/pacing. */
export class Engine {
  private plan: PlanView | undefined;
  private layout: Layout | undefined;
  private readonly kept = new KeptPictures();
  private readonly streams: StreamSet;
  private state: PlayerState = 'still';
  private mode: 'play' | 'rest' | 'flat' = 'rest';
  /** Whether pictures at rest are made of the originals, where they play from something else. */
  private isRefined = false;
  private playing: Playing | undefined;
  private request: PlayRequest | undefined;
  private shuttling: Shuttling | undefined;
  private frame = 0;
  private wantedStill: number | undefined;
  private prefetcher: Prefetcher | undefined;
  private flat: FlatOut | undefined;
  private readonly filler: Filler;
  private readonly display: Display;
  private timer: ReturnType<typeof setTimeout> | undefined;
  /** Grows with every command, so that what waits for an older one gives up. */
  private intent = 0;
  /** Plans that are being taken in; until they are, nothing is shown. */
  private changing = 0;

  constructor(
    screen: Screen,
    private readonly memory: WebAssembly.Memory,
    private readonly control: Control,
    private readonly decoders: readonly Channel<DecodeRequest, DecodeReply>[],
    private readonly sound: Channel<SoundRequest, never>,
    private readonly shares: PictureShares,
    private readonly send: (reply: EngineReply, transfer?: Transferable[]) => void,
  ) {
    this.display = new Display(screen, memory, control, (pixels) => send({ kind: 'pixels', pixels }));
    this.streams = new StreamSet(decoders, {
      changed: () => this.tick(),
      cost: (frame, cost) => this.playing?.onCost(frame, cost),
      reached: (passage) => {
        this.prefetcher?.onReached(passage);
        this.filler.onReached(passage);
      },
      fellBack: (lost) => send({ kind: 'fell back', lost }),
      failed: ({ from }, message) => send({ kind: 'failed', message: `Clip at frame ${from}: ${message}` }),
    });
    this.filler = new Filler(
      this.streams,
      decoders.length,
      (passage, from) => this.openPassage(passage, from, false),
      (progress) => send({ kind: 'filling', progress }),
    );
  }

  handle(request: EngineRequest): void {
    this.filler.interrupt();
    perform(this, request);
  }

  cancelFilling(): void {
    this.filler.cancel();
  }

  async setPlan(plan: PreviewPlan): Promise<void> {
    ++this.intent;
    this.playing?.onLeversMoved();
    const { live } = plan.preview;
    this.changing++;
    await Promise.all([this.streams.closeAll(), this.display.setPlan(plan)]);
    this.changing--;
    this.streams.forgive();
    try {
      const layout = layOut(plan, this.memory, this.decoders, this.shares);
      this.layout = layout;
      this.plan = new PlanView(plan);
      this.kept.setPlan(this.plan, layout);
    } catch (error) {
      this.send({ kind: 'failed', message: messageOf(error) });
      return;
    }
    this.sound.send({ kind: 'plan', parts: live.sound, urls: plan.sounds, rate: live.rate });
    this.useRoom(this.isPlaying);
    // A newer one shows itself; what was asked for meanwhile was left to this.
    if (this.changing > 0) return;
    if (!this.isPlaying) await this.still(this.plan.within(this.frame));
    else if (this.playing) this.tick();
    // The press of play was still waiting for the decoders when the plan came.
    else if (this.request) await this.play(this.request);
  }

  /** Whether something newer was asked for since, or a plan is being taken in, which will show what is asked for. */
  private readonly isOutdated = (intent: number): boolean => intent !== this.intent || this.changing > 0;

  private get isPlaying(): boolean {
    return this.state === 'playing' || this.state === 'starting';
  }

  async play(request: PlayRequest): Promise<void> {
    if (!this.plan || !this.layout) return;
    const intent = ++this.intent;
    this.finishRun();
    this.control.set('running', 0);
    this.shuttling = undefined;
    this.request = request;
    this.frame = request.from;
    this.setState('starting', request.from);
    await this.streams.closeAll();
    if (this.isOutdated(intent)) return;
    // What could not be decoded before is tried once more.
    this.streams.forgive();
    this.mode = 'play';
    this.kept.beginRun(request);
    this.useRoom(true);
    this.playing = new Playing(request, this.plan, this.control);
    this.send({ kind: 'log', firstFrame: request.from, buffer: this.playing.buffer });
    const { from, ranges } = request;
    const open = (passage: Passage, begin: number): void => this.openPassage(passage, begin, true);
    this.prefetcher = new Prefetcher(this.plan, from, ranges, this.decoders.length, this.streams, open);
    this.wantedStill = undefined;
    this.control.playhead = request.from;
    this.display.serverDecoded.clear();
    const epoch = this.control.beginEpoch();
    this.sound.send({ kind: 'start', epoch, from: request.from });
    this.tick();
  }

  async pause(at?: number): Promise<void> {
    ++this.intent;
    const frame = at ?? this.currentFrame();
    this.stopPlaying(frame);
    await this.still(frame);
  }

  async seek(frame: number): Promise<void> {
    this.frame = frame;
    await (this.isPlaying ? this.pause(frame) : this.still(frame));
  }

  private stopPlaying(frame: number): void {
    this.control.set('running', 0);
    this.sound.send({ kind: 'stop' });
    this.finishRun();
    // Pictures of shuttling have the size of playing; at rest they are made anew.
    if (this.shuttling) this.mode = 'flat';
    this.shuttling = undefined;
    this.frame = frame;
    this.setState('still', frame);
  }

  private finishRun(): void {
    const serverDecoded = [...this.display.serverDecoded];
    const finished = this.playing?.finished({ serverDecoded, kept: this.kept.foundRanges });
    this.playing = undefined;
    this.kept.endRun();
    this.filler.onRunEnded(finished && new FrameLog(finished.firstFrame, finished.log));
    if (finished) this.send(finished, [finished.log.buffer]);
  }

  private async still(frame: number): Promise<void> {
    if (!this.plan || !this.layout) return;
    this.control.playhead = frame;
    const clips = this.view.clipsAt(frame);
    const goesOn =
      // While a plan is taken in, the clips are those of the one before.
      this.changing === 0 &&
      this.mode === 'rest' &&
      (this.isRefined || !this.plan.isIncomplete(frame)) &&
      clips.every((clip) => this.streams.reaches(clip, frame, STILL_REACH));
    if (!goesOn) return this.stillAnew(frame, this.plan.isIncomplete(frame));
    ++this.intent;
    this.streams.passed(frame);
    for (const clip of clips) this.streams.skipTo(clip, frame);
    this.wantedStill = frame;
    this.tick();
  }

  /** @param isRefined whether it is made of the originals, where they play from something else */
  private async stillAnew(frame: number, isRefined: boolean): Promise<void> {
    const intent = ++this.intent;
    // Ready pictures have the playback size and must not be taken for the picture at rest.
    this.wantedStill = undefined;
    await this.streams.closeAll();
    if (this.isOutdated(intent)) return;
    this.isRefined = isRefined;
    this.mode = 'rest';
    this.useRoom(this.state === 'shuttling');
    for (const passage of this.view.passagesAt(frame)) this.openPassage(passage, frame, false, 1);
    this.streams.share();
    this.wantedStill = frame;
    this.tick();
  }

  private useRoom(isForPlaying: boolean): void {
    const { mostWaiting, restSlots } = this.layout!;
    const { room, keys } = this.kept.use();
    if (isForPlaying) this.streams.useRoom(room, mostWaiting, keys);
    else this.streams.useRoom(new PictureRoom(restSlots));
  }

  private refineLater(frame: number): void {
    if (this.isRefined || !this.plan!.restsOtherwise(frame)) return;
    const { intent } = this;
    setTimeout(() => void (intent === this.intent && this.stillAnew(frame, true)), REFINE_AFTER_MS);
  }

  async shuttle(speed: number): Promise<void> {
    if (!this.plan) return;
    const frame = this.currentFrame();
    this.stopPlaying(frame);
    this.shuttling = new Shuttling(frame, speed);
    this.setState('shuttling', frame);
    this.mode = 'flat';
    await this.still(frame);
  }

  async flatOut(from: number, to: number): Promise<void> {
    if (!this.plan || !this.layout) return;
    const intent = ++this.intent;
    await this.streams.closeAll();
    if (this.isOutdated(intent)) return;
    this.mode = 'flat';
    this.streams.useRoom(this.kept.useEmpty(), this.layout.mostWaiting);
    this.wantedStill = undefined;
    this.flat = new FlatOut(from, to);
    this.tick();
  }

  private openPassage(clip: Passage, from: number, live: boolean, ahead?: number): void {
    const { isResting, view } = this;
    const frameSize = this.size();
    const isExact = this.mode === 'rest';
    const { turned } = this.layout!;
    const options = { from, frameSize, isResting, isExact, live, turned, ahead };
    openPassage(view, this.streams, clip, options);
  }

  /** Whether pictures are made as they are seen at rest. */
  private get isResting(): boolean {
    return this.mode === 'rest' && this.state !== 'shuttling';
  }

  /** The plan as it is shown now. */
  private get view(): PlanView {
    return this.isResting && this.isRefined ? this.plan!.refined : this.plan!;
  }

  private size(): FrameSize {
    return this.plan!.plan.preview[this.isResting ? 'restSize' : 'playSize'];
  }

  private tick(): void {
    clearTimeout(this.timer);
    if (!this.plan || !this.layout || this.changing > 0) return;
    if (this.flat) return this.tickFlat(this.flat);
    if (this.filler.isFilling) return this.filler.advance(this.plan);
    if (this.isPlaying) return this.tickPlay();
    this.tickStill();
  }

  private tickStill(): void {
    const frame = this.wantedStill;
    if (frame !== undefined && this.frameReady(frame)) {
      this.wantedStill = undefined;
      this.show(frame);
      if (this.state === 'still') {
        this.send({ kind: 'still', frame, size: this.size() });
        this.refineLater(frame);
        this.fillLater();
      }
    }
    if (this.state !== 'shuttling' || !this.shuttling) return;
    const next = this.currentFrame();
    this.frame = next;
    this.control.playhead = next;
    const { speed } = this.shuttling;
    if (speed < 0 ? next <= 0 : next >= this.plan!.length - 1) return void this.pause(next);
    if (this.wantedStill === undefined && next !== this.control.get('shownFrame')) void this.still(next);
    else this.timer = setTimeout(() => this.tick(), 15);
  }

  private tickPlay(): void {
    const { playing } = this;
    if (!playing) return;
    if (this.state === 'starting' && !this.tryStart(playing)) return;
    const { to } = playing.request;
    const playhead = playing.playhead();
    const frame = frameAtPlayhead(playhead);
    this.control.playhead = playhead;
    this.frame = Math.min(frame, to - 1);
    this.kept.playhead = frame;
    const step = playing.presentationAt(playhead, (each) => this.frameReady(each));
    if (step === 'end') {
      playing.onPassed(to, 0);
      void this.pause(to - 1);
      return;
    }
    const draw = () => (playing.isStanding(this.plan!, frame) ? this.display.keep(frame) : this.show(frame));
    if (step === 'show') playing.onShown(frame, draw(), this.waitingAfter(frame));
    else playing.onPassed(frame, this.waitingAfter(frame));
    this.streams.passed(playing.neededFrom(frame));
    this.prefetcher!.openAhead(this.plan!, playhead, to);
    this.timer = setTimeout(() => this.tick(), playing.msUntil(frame + 1));
  }

  private tryStart(playing: Playing): boolean {
    const { from, to } = playing.request;
    this.prefetcher!.openAhead(this.plan!, from, to);
    if (!playing.hasStarted(this.plan!, this.streams)) {
      this.timer = setTimeout(() => this.tick(), 10);
      return false;
    }
    this.setState('playing', from);
    return true;
  }

  private waitingAfter(frame: number): number {
    const end = Math.min(this.plan!.length, frame + 1 + this.layout!.mostWaiting);
    return this.streams.readyUntil(frame + 1, (each) => this.plan!.clipsAt(each), end) - frame - 1;
  }

  private fillLater(): void {
    if (!this.filler.isWanted) return;
    const { intent } = this;
    setTimeout(() => void (intent === this.intent && this.fill()), FILL_AFTER_MS);
  }

  private async fill(): Promise<void> {
    const intent = ++this.intent;
    await this.streams.closeAll();
    if (this.isOutdated(intent) || !this.filler.isWanted) return;
    this.mode = 'flat';
    this.useRoom(true);
    this.kept.playhead = this.filler.begin(this.plan!, this.layout!.keptFrames);
    this.tick();
  }

  private tickFlat(flat: FlatOut): void {
    const open = (passage: Passage, from: number): void => this.openPassage(passage, from, false);
    const done = flat.advance(this.plan!, this.streams, STILL_REACH, open, (frame) => this.show(frame));
    if (!done) return;
    this.flat = undefined;
    this.send({ kind: 'flatOut', ...done });
  }

  private currentFrame(): number {
    const { shuttling, plan } = this;
    return plan?.within(shuttling ? Math.round(shuttling.frameAt(plan.framesPerSecond)) : this.frame) ?? 0;
  }

  private frameReady(frame: number): boolean {
    return this.streams.isReady(frame, this.view.clipsAt(frame));
  }

  private show(frame: number): { composeMs: number; showMs: number } {
    return this.display.show(frame, this.view, this.layout!, this.size(), this.streams.pictures(frame));
  }

  private setState(state: PlayerState, frame: number): void {
    this.state = state;
    this.send({ kind: 'state', state, frame });
  }
}
