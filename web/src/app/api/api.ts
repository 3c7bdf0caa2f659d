import { Injectable } from '@angular/core';
import { replyFault } from '@hone/core/api';
import type {
  CachedStretchRecord,
  CopyEstimate,
  CopyRequest,
  ExportEstimate,
  ExportRecord,
  FolderEntry,
  Job,
  KeptTable,
  DriveToMeasure,
  DroppedFile,
  DroppedReply,
  LightCopy,
  MachineNow,
  MediaSearch,
  MachineChange,
  MachineSettings,
  Measure,
  NewProject,
  Problem,
  Project,
  ProjectChange,
  ProjectEntry,
  ProjectRevision,
  RenderCacheChange,
  RenderCacheSettings,
  RenderRequest,
  Rigs,
  RunRecord,
  ScrubRecord,
  Simulation,
  Source,
  SourceChange,
  TriedCacheFormats,
} from '@hone/core/api';
import type { SavedTuning, Tuning } from '@hone/core/levers';
import type { Timeline } from '@hone/core/timeline';
import type { SourceFilter } from '@hone/core/media';
import type { Finding } from '@hone/core/findings';
import type { NewRun, RunSample, ScrubFacts } from '@hone/core/playback';
import type { DecodeFigures, DriveFigures, HardwarePath, Rig } from '@hone/core/machine';

/** A reply that was not a success; the message is a sentence for people. */
export class ApiError extends Error {
  override readonly name = 'ApiError';

  constructor(readonly problem: Problem) {
    super(problem.detail);
  }
}

const NO_ANSWER: Problem = {
  type: 'about:blank',
  title: 'No answer',
  status: 0,
  detail: 'Hone does not answer. Look whether it still runs in the terminal, and start it again if not.',
};

const EDITED = /^projects\/[^/]+$/;

/** @throws ApiError when a reply does not match the schema of its route */
function checkReply(method: string, path: string, value: unknown): void {
  const fault = replyFault(method.toLowerCase(), `/api/${path.split('?')[0]}`, value);
  if (fault === undefined) return;
  throw new ApiError({
    ...NO_ANSWER,
    title: 'Unknown answer',
    detail: `The answer of Hone was not understood (${fault}). Reload the page: it may be of another version.`,
  });
}

export const sentenceOf = (error: unknown): string =>
  error instanceof Error ? error.message : String(error);

/** The server's routes. */
@Injectable({ providedIn: 'root' })
export class Api {
  projects = (): Promise<ProjectEntry[]> => this.get('projects');
  project = (id: string): Promise<Project> => this.get(`projects/${id}`);
  createProject = (project: NewProject): Promise<Project> => this.send('POST', 'projects', project);
  changeProject = (id: string, change: ProjectChange): Promise<Project> =>
    this.send('PUT', `projects/${id}`, change);
  renameProject = (id: string, name: string): Promise<Project> =>
    this.send('PUT', `projects/${id}/name`, { name });
  duplicateProject = (id: string): Promise<Project> => this.send('POST', `projects/${id}/duplicate`);
  deleteProject = (id: string): Promise<void> => this.send('DELETE', `projects/${id}`);
  revisions = (id: string): Promise<ProjectRevision[]> => this.get(`projects/${id}/revisions`);
  timelineAt = (id: string, revision: number): Promise<Timeline> =>
    this.get(`projects/${id}/revisions/${revision}`);
  tune = (id: string, tuning: Tuning): Promise<Project> => this.send('PUT', `projects/${id}/tuning`, tuning);
  sources = (id: string): Promise<Source[]> => this.get(`projects/${id}/sources`);
  addSources = (id: string, fileIds: readonly string[]): Promise<Source[]> =>
    this.send('POST', `projects/${id}/sources`, { fileIds });
  searchMedia = (id: string, search: MediaSearch): Promise<Source[]> =>
    this.send('POST', `projects/${id}/sources/search`, search);
  changeSources = (id: string, change: SourceChange): Promise<Source[]> =>
    this.send('POST', `projects/${id}/sources/changes`, change);
  readSourcesAgain = (id: string, sourceIds: readonly string[]): Promise<Source[]> =>
    this.send('POST', `projects/${id}/sources/retry`, { sourceIds });
  removeSources = (id: string, sourceIds: readonly string[]): Promise<void> =>
    this.send('POST', `projects/${id}/sources/removal`, { sourceIds });
  keepFilters = (id: string, filters: readonly SourceFilter[]): Promise<Project> =>
    this.send('PUT', `projects/${id}/filters`, filters);
  folders = (): Promise<FolderEntry> => this.get('folders');
  folder = (id: string): Promise<FolderEntry> => this.get(`folders/${id}`);
  /** Opens a folder by its path, which becomes a media folder. */
  addFolder = (path: string): Promise<FolderEntry> => this.send('POST', 'folders', { path });
  removeFolder = (id: string): Promise<void> => this.send('DELETE', `folders/${id}`);
  linkDropped = (id: string, files: readonly DroppedFile[]): Promise<DroppedReply[]> =>
    this.send('POST', `projects/${id}/sources/dropped`, { files });
  copies = (id: string): Promise<LightCopy[]> => this.get(`projects/${id}/copies`);
  estimateCopies = (id: string, request: CopyRequest): Promise<CopyEstimate[]> =>
    this.send('POST', `projects/${id}/copies/estimate`, request);
  makeCopies = (id: string, request: CopyRequest): Promise<LightCopy[]> =>
    this.send('POST', `projects/${id}/copies`, request);
  copyRoom = (): Promise<{ freeBytes: number }> => this.get('copies/room');
  removeCopy = (id: string): Promise<void> => this.send('DELETE', `copies/${id}`);
  cachedStretches = (): Promise<CachedStretchRecord[]> => this.get('cached-stretches');
  renderStretches = (id: string, request: RenderRequest): Promise<Job> =>
    this.send('POST', `projects/${id}/cached-stretches`, request);
  savedTunings = (): Promise<SavedTuning[]> => this.get('tunings');
  saveTunings = (tunings: readonly SavedTuning[]): Promise<SavedTuning[]> =>
    this.send('PUT', 'tunings', tunings);
  renderCacheSettings = (): Promise<RenderCacheSettings> => this.get('render-cache/settings');
  setRenderCache = (change: RenderCacheChange): Promise<RenderCacheSettings> =>
    this.send('PUT', 'render-cache/settings', change);
  removeCachedStretches = (ids: readonly string[]): Promise<void> =>
    this.send('POST', 'cached-stretches/removal', { ids });
  jobs = (id: string): Promise<Job[]> => this.get(`projects/${id}/jobs`);
  cancelJob = (id: string): Promise<Job> => this.send('POST', `jobs/${id}/cancel`);
  runs = (id: string): Promise<RunRecord[]> => this.get(`projects/${id}/runs`);
  keepRun = (id: string, run: NewRun): Promise<RunRecord> => this.send('POST', `projects/${id}/runs`, run);
  /** Share of all cores that is busy while a run is sampled, 0 to 1; null when none is. */
  coreShare = async (): Promise<number | null> =>
    (await this.get<{ coreShare: number | null }>('sampling')).coreShare;
  startSampling = (): Promise<void> => this.send('POST', 'sampling');
  runSamples = (id: string): Promise<RunSample[]> => this.get(`runs/${id}/samples`);
  noteRun = (id: string, notes: string): Promise<RunRecord> =>
    this.send('PUT', `runs/${id}/notes`, { notes });
  keepFindings = (id: string, findings: readonly Finding[]): Promise<RunRecord> =>
    this.send('PUT', `runs/${id}/findings`, { findings });
  scrubs = (id: string): Promise<ScrubRecord[]> => this.get(`projects/${id}/scrubs`);
  keepScrub = (id: string, scrub: ScrubFacts): Promise<ScrubRecord> =>
    this.send('POST', `projects/${id}/scrubs`, scrub);
  simulation = (): Promise<Simulation> => this.get('simulation');
  simulate = (driveId: string | null): Promise<Simulation> => this.send('PUT', 'simulation', { driveId });
  rigs = (): Promise<Rigs> => this.get('rigs');
  keepRig = (rig: Rig): Promise<Rig> => this.send('PUT', 'rigs/own', rig);
  loadRig = (rig: unknown): Promise<Rig> => this.send('POST', 'rigs', rig);
  removeRig = (id: string): Promise<void> => this.send('DELETE', `rigs/${id}`);
  machine = (signal?: AbortSignal): Promise<MachineNow> => this.get('machine', signal);
  machineSettings = (): Promise<MachineSettings> => this.get('machine/settings');
  changeMachine = (change: MachineChange): Promise<MachineSettings> =>
    this.send('PUT', 'machine/settings', change);
  drivesToMeasure = (signal: AbortSignal): Promise<{ drive: string; holds: string[] }[]> =>
    this.get('measurements/drives', signal);
  measureDrive = (drive: DriveToMeasure, signal: AbortSignal): Promise<DriveFigures | null> =>
    this.send('POST', 'measurements/drives', drive, signal);
  measureProcessor = (
    about: Measure,
    signal: AbortSignal,
  ): Promise<Pick<Rig, 'oneCoreFps' | 'allCoresFps'>> =>
    this.send('POST', 'measurements/processor', about, signal);
  measureServerDecoders = (about: Measure, signal: AbortSignal): Promise<DecodeFigures[]> =>
    this.send('POST', 'measurements/server-decoders', about, signal);
  measureHardwarePaths = (about: Measure, signal: AbortSignal): Promise<HardwarePath[]> =>
    this.send('POST', 'measurements/hardware-paths', about, signal);
  tryCacheFormats = (about: Measure, signal: AbortSignal): Promise<TriedCacheFormats> =>
    this.send('POST', 'measurements/cache-formats', about, signal);
  removeTriedFormats = (): Promise<void> => this.send('DELETE', 'measurements/cache-formats');
  /** Holds fingerprints and other background work for three seconds. */
  holdBackgroundWork = (): Promise<void> => this.send('POST', 'measurements/hold');
  removeRun = (id: string): Promise<void> => this.send('DELETE', `runs/${id}`);
  exports = (id: string): Promise<ExportRecord[]> => this.get(`projects/${id}/exports`);
  estimateExport = (id: string, signal: AbortSignal): Promise<ExportEstimate> =>
    this.send('POST', `projects/${id}/exports/estimate`, undefined, signal);
  startExport = (id: string): Promise<ExportRecord> => this.send('POST', `projects/${id}/exports`);

  /** Share of the machine that is busy now, 0 to 1, over half a second. */
  async loadNow(signal: AbortSignal): Promise<number> {
    return (await this.get<{ load: number }>('measurements/load', signal)).load;
  }

  async packets(sourceId: string): Promise<Uint8Array> {
    return new Uint8Array(await (await this.request('GET', `sources/${sourceId}/packets`)).arrayBuffer());
  }

  async peaks(sourceId: string): Promise<Uint8Array> {
    return new Uint8Array(await (await this.request('GET', `sources/${sourceId}/peaks`)).arrayBuffer());
  }

  async runLog(id: string): Promise<Float32Array> {
    const reply = await this.request('GET', `runs/${id}/log`);
    return new Float32Array(await reply.arrayBuffer());
  }

  /** Colour tables that were kept. */
  tables(): Promise<KeptTable[]> {
    return this.get('tables');
  }

  /** Keeps a colour table. @throws ApiError that names the line when it is none */
  async keepTable(text: string): Promise<KeptTable> {
    const init = { body: text, headers: { 'Content-Type': 'text/plain' } };
    return this.read('POST', 'tables', await this.request('POST', 'tables', init));
  }

  /** @param onProgress 0 to 1; fetch does not tell it, so the older interface is used */
  async upload(id: string, file: File, onProgress: (share: number) => void): Promise<Source> {
    const path = `projects/${id}/uploads?name=${encodeURIComponent(file.name)}`;
    const request = new XMLHttpRequest();
    await new Promise<void>((resolve, reject) => {
      request.open('POST', `/api/${path}`);
      request.setRequestHeader('Content-Type', 'application/octet-stream');
      request.responseType = 'json';
      request.upload.onprogress = ({ loaded, total }) => onProgress(total ? loaded / total : 0);
      request.onerror = () => reject(new ApiError(NO_ANSWER));
      request.onload = () => resolve();
      request.send(file);
    });
    const { status } = request;
    if (status >= 400) throw new ApiError((request.response as Problem | null) ?? { ...NO_ANSWER, status });
    checkReply('POST', path, request.response);
    return request.response as Source;
  }

  private async get<T>(path: string, signal?: AbortSignal): Promise<T> {
    return this.read('GET', path, await this.request('GET', path, {}, signal));
  }

  private async send<T>(method: string, path: string, body?: unknown, signal?: AbortSignal): Promise<T> {
    const json = { headers: { 'Content-Type': 'application/json' } };
    const init = body === undefined ? {} : { ...json, body: JSON.stringify(body) };
    const reply = await this.request(method, path, init, signal);
    return reply.status === 204 ? (undefined as T) : this.read(method, path, reply);
  }

  private async read<T>(method: string, path: string, reply: Response): Promise<T> {
    const value: unknown = await reply.json();
    // The reply to an edit repeats the timeline of the request; validating it would delay the next edit.
    if (method !== 'PUT' || !EDITED.test(path)) checkReply(method, path, value);
    return value as T;
  }

  private async request(
    method: string,
    path: string,
    init: RequestInit = {},
    signal?: AbortSignal,
  ): Promise<Response> {
    let reply: Response;
    try {
      reply = await fetch(`/api/${path}`, { ...init, method, ...(signal ? { signal } : {}) });
    } catch (error) {
      if (signal?.aborted) throw error;
      throw new ApiError(NO_ANSWER);
    }
    if (reply.ok) return reply;
    const problem = (await reply.json().catch(() => undefined)) as Problem | undefined;
    throw new ApiError(
      problem ?? {
        type: 'about:blank',
        title: 'Failed',
        status: reply.status,
        detail: `Hone answered ${reply.status}.`,
      },
    );
  }
}
