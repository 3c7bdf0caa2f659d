import type { CachedStretchRecord, LightCopy, Source } from '@hone/core/api';
import type { Tuning } from '@hone/core/levers';
import { PacketIndex } from '@hone/core/media';
import type { DecodeRange } from '@hone/core/pacing';
import type { FrameLog } from '@hone/core/playback';
import type { Calibration, Situation } from '@hone/core/cost-model';
import { memoryShares, simulatedDrive, usualCeiling, type Rig } from '@hone/core/machine';
import { learnRun } from '@hone/core/simulation';
import type { RunningServer } from '@hone/server';
import { withBrowser } from './browser.js';
import type { PredictCase } from './predict-cases.js';

/** Largest age of a rig that still describes this machine. */
const KEPT_MS = 3_600_000;

/** Inputs of a prediction beside the timeline. */
export interface Grounds {
  readonly rig: Rig;
  readonly media: Media;
  /** Cores that the browser reports. */
  readonly cores: number;
}

/** The situation of a case on a machine. */
export function situationFor(
  { timeline, playScale, lightCopies, driveId, bypassedClips }: Omit<PredictCase, 'name'>,
  { rig, media, cores }: Grounds,
  calibration: Calibration,
): Situation {
  const tuning: Tuning = {
    ...{ playScale, restScale: playScale, lightCopies },
    bypassedClips: bypassedClips && [...bypassedClips],
  };
  const simulated = simulatedDrive(driveId ?? null);
  return {
    timeline,
    tuning,
    ...media,
    rig,
    shares: memoryShares(usualCeiling(rig.machine.memoryBytes), cores),
    drive: simulated ? { ...simulated, bytesPerSecond: simulated.readBytesPerSecond } : null,
    calibration,
  };
}

/** The situation with costs that follow a run. @param ranges of the decode plan that the run followed */
export const learnFrom = (
  situation: Situation,
  log: FrameLog,
  ranges: readonly DecodeRange[] | undefined,
): Situation => ({ ...situation, calibration: learnRun(situation, log, { ranges }) });

export type Media = Pick<Situation, 'sources' | 'copies' | 'stretches' | 'indexes'>;

export async function mediaOf({ url }: RunningServer, projectId: string): Promise<Media> {
  const get = async <T>(path: string): Promise<T> => (await (await fetch(`${url}/api/${path}`)).json()) as T;
  const sources = await get<Source[]>(`projects/${projectId}/sources`);
  const copies = await get<LightCopy[]>(`projects/${projectId}/copies`);
  const indexes = new Map<string, PacketIndex>();
  for (const { id } of sources) {
    const reply = await fetch(`${url}/api/sources/${id}/packets`);
    if (reply.ok) indexes.set(id, PacketIndex.from(new Uint8Array(await reply.arrayBuffer())));
  }
  return { sources, copies, stretches: await stretchesOf(url), indexes };
}

/** All that was rendered in advance. */
export const stretchesOf = async (url: string): Promise<CachedStretchRecord[]> =>
  (await (await fetch(`${url}/api/cached-stretches`)).json()) as CachedStretchRecord[];

export async function put(url: string, path: string, body: unknown): Promise<void> {
  const reply = await fetch(`${url}/api/${path}`, {
    method: 'PUT',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify(body),
  });
  if (!reply.ok) throw new Error(await reply.text());
}

/** The rig that a server keeps of its machine. */
const ownRig = async (url: string): Promise<Rig | null> =>
  ((await (await fetch(`${url}/api/rigs`)).json()) as { own: Rig | null }).own;

/** The rig as the page measures it when it is asked to. */
export async function measuredRig({ url }: RunningServer, projectId: string): Promise<Rig> {
  const own = (): Promise<Rig | null> => ownRig(url);
  const known = await own();
  if (known && Date.now() - Date.parse(known.measuredAt) < KEPT_MS) return known;
  const before = known?.measuredAt;
  await withBrowser(async (page) => {
    await page.addInitScript((id) => localStorage.setItem('hone.lastProject', id), projectId);
    await page.goto(`${url}/rig`);
    await page.waitForTimeout(2000);
    await page.getByTestId('measure').click();
    for (let waited = 0; waited < 240; waited++) {
      await page.waitForTimeout(1000);
      const now = await own();
      if (now && now.measuredAt !== before) return;
    }
    throw new Error('The machine was not measured within four minutes.');
  });
  return (await own())!;
}
