import { ALL_FORMATS, EncodedPacketSink, Input, UrlSource } from 'mediabunny';
import type { CachedStretchRecord, LightCopy, Project, Source } from '@hone/core/api';
import type { DecodeRange } from '@hone/core/pacing';
import { pacingSummary, type RunFacts } from '@hone/core/playback';
import { PLAINEST, type Tuning } from '@hone/core/levers';
import { emptyTimeline, type Timeline } from '@hone/core/timeline';
import { chosenDecoders, type DecodeFigures, type Rig } from '@hone/core/machine';
import { planFor, Player, runDecodeTrials, ServerSupply, type FinishedRun } from '@hone/player';

/** Interface of the benchmark page, called from outside it. */
export interface BenchPage {
  bareDecoder(sourceId: string, frames: number): Promise<number>;
  flatOut(projectId: string, sourceId: string, frames: number, byServer?: boolean): Promise<number>;
  serverPath(sourceId: string, width: number, height: number, frames: number): Promise<number>;
  playTimeline(
    projectId: string,
    timeline: Timeline,
    tuning: Tuning,
    ranges: readonly DecodeRange[] | undefined,
  ): Promise<PlayedLog>;
  /** The same several times in a row, by one player. */
  playAgain(
    projectId: string,
    timeline: Timeline,
    tuning: Tuning,
    times: number,
    ranges: readonly DecodeRange[] | undefined,
  ): Promise<readonly PlayedLog[]>;
  /** Rig with trial figures of sources that it was not measured with. */
  tryDecoders(projectId: string, rig: Rig): Promise<Rig>;
  cores(): number;
}

/** A run as it is handed out of the page. */
export interface PlayedLog {
  readonly firstFrame: number;
  readonly values: readonly number[];
  readonly serverDecoded: readonly string[];
  readonly sound: RunFacts['sound'];
}

const get = async <T>(path: string): Promise<T> => (await (await fetch(path)).json()) as T;

const newPlayer = (): Promise<Player> => {
  const canvas = document.createElement('canvas');
  document.body.replaceChildren(canvas);
  return Player.create({ canvas, assets: '/player/' });
};

const project = async (id: string) => ({
  ...(await get<Project>(`/api/projects/${id}`)),
  sources: await get<Source[]>(`/api/projects/${id}/sources`),
  copies: await get<LightCopy[]>(`/api/projects/${id}/copies`),
  stretches: await get<CachedStretchRecord[]>('/api/cached-stretches'),
});

async function played(
  projectId: string,
  timeline: Timeline,
  tuning: Tuning,
  ranges: readonly DecodeRange[] | undefined,
  times = 1,
): Promise<FinishedRun[]> {
  const { sources, copies, stretches } = await project(projectId);
  const { own } = await get<{ own: Rig | null }>('/api/rigs');
  const decoders = own ? chosenDecoders(own, sources, tuning.decodePaths) : undefined;
  const plan = planFor(timeline, tuning, sources, copies, decoders, stretches);
  const player = await newPlayer();
  player.on('failed', (message) => console.error(message));
  player.setPlan(plan);
  await new Promise((resolve) => player.on('still', resolve));
  const runs: FinishedRun[] = [];
  for (let time = 0; time < times; time++) {
    const filled = new Promise<void>((resolve) =>
      player.on('filling', ({ state }) => void (state === 'finished' && resolve())),
    );
    runs.push(
      await new Promise<FinishedRun>((resolve) => {
        player.on('run', resolve);
        void player.play(0, plan.preview.graph.length, ranges);
      }),
    );
    const isLast = time === times - 1;
    if (!isLast && pacingSummary(runs.at(-1)!.log, timeline.rate).dropped > 0) await filled;
  }
  player.dispose();
  return runs;
}

const handedOut = ({ log, facts }: FinishedRun): PlayedLog => ({
  firstFrame: log.firstFrame,
  // JSON has no NaN: frames that were not shown are below zero.
  values: [...log.values].map((value) => (Number.isNaN(value) ? -1 : value)),
  serverDecoded: facts.serverDecoded,
  sound: facts.sound,
});

const page: BenchPage = {
  /** Frames per second of a `VideoDecoder` that is fed from the file and whose frames are thrown away. */
  async bareDecoder(sourceId, frames) {
    const input = new Input({ source: new UrlSource(`/media/sources/${sourceId}`), formats: ALL_FORMATS });
    const track = (await input.getPrimaryVideoTrack())!;
    const packets = new EncodedPacketSink(track);
    let decoded = 0;
    const decoder = new VideoDecoder({
      output: (frame) => {
        frame.close();
        decoded++;
      },
      error: (error) => console.error(error),
    });
    decoder.configure((await track.getDecoderConfig())!);
    const started = performance.now();
    let packet = await packets.getFirstPacket();
    for (let count = 0; packet && count < frames; count++) {
      decoder.decode(packet.toEncodedVideoChunk());
      if (decoder.decodeQueueSize >= 8) await new Promise((resolve) => (decoder.ondequeue = resolve));
      packet = await packets.getNextPacket(packet);
    }
    await decoder.flush();
    const seconds = (performance.now() - started) / 1000;
    decoder.close();
    input.dispose();
    return decoded / seconds;
  },

  /** Frames per second of the whole player, without a clock, at preview scale 1:4. */
  async flatOut(projectId, sourceId, frames, byServer = false) {
    const { sources } = await project(projectId);
    const source = sources.find(({ id }) => id === sourceId)!;
    const picture = source.facts!.picture!;
    const empty = emptyTimeline(picture.rate, picture.size);
    const clip = {
      id: 'c',
      name: source.name,
      sourceId,
      start: 0,
      length: frames,
      sourceIn: { num: 0, den: 1 },
      enabled: true,
    };
    const timeline = { ...empty, tracks: [{ ...empty.tracks[0]!, clips: [clip] }] };
    const player = await newPlayer();
    const plan = planFor(timeline, { ...PLAINEST, playScale: 4, restScale: 4 }, sources, []);
    const file = plan.pictures[sourceId]!;
    const pictures = { [sourceId]: byServer ? { ...file, serverOnly: 'it is measured' } : file };
    player.setPlan({ ...plan, pictures });
    await new Promise((resolve) => player.on('still', resolve));
    const result = await player.playFlatOut(0, frames);
    player.dispose();
    return (1000 * result.frames) / result.ms;
  },

  /** Frames per second that the server decodes and that arrive in the player, by the player's own reader. */
  async serverPath(sourceId, width, height, frames) {
    const supply = new ServerSupply(`/media/frames/${sourceId}`, { width, height });
    const started = performance.now();
    await supply.startAt(0);
    for (let count = 0; count < frames; count++) {
      const next = await supply.next();
      if (!next) throw new Error(`The clip ended after ${count} frames.`);
      next.frame.close();
    }
    const seconds = (performance.now() - started) / 1000;
    supply.close();
    return frames / seconds;
  },

  async playTimeline(projectId, timeline, tuning, ranges) {
    const [run] = await played(projectId, timeline, tuning, ranges);
    return handedOut(run!);
  },

  async playAgain(projectId, timeline, tuning, times, ranges) {
    return (await played(projectId, timeline, tuning, ranges, times)).map(handedOut);
  },

  async tryDecoders(projectId, rig) {
    const { sources } = await project(projectId);
    const onServer = async (sourceId: string): Promise<readonly DecodeFigures[]> => {
      const reply = await fetch('/api/measurements/server-decoders', {
        method: 'POST',
        headers: { 'Content-Type': 'application/json' },
        body: JSON.stringify({ projectId, thorough: false, sourceIds: [sourceId] }),
      });
      if (!reply.ok) throw new Error(await reply.text());
      return (await reply.json()) as DecodeFigures[];
    };
    return runDecodeTrials(rig, sources, '/player/', onServer);
  },
  cores: () => navigator.hardwareConcurrency,
};

(globalThis as unknown as { benchPage: BenchPage }).benchPage = page;
