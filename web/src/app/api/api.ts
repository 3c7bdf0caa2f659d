import { Injectable } from '@angular/core';
import type {
  CopyEstimate,
  CopyRequest,
  ExportRecord,
  FolderEntry,
  Job,
  LightCopy,
  NewProject,
  Problem,
  Project,
  ProjectChange,
  ProjectEntry,
  RunRecord,
  Source,
} from '@hone/core/api';
import type { Tuning } from '@hone/core/levers';
import type { NewRun } from '@hone/core/playback';

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
  tune = (id: string, tuning: Tuning): Promise<Project> => this.send('PUT', `projects/${id}/tuning`, tuning);
  sources = (id: string): Promise<Source[]> => this.get(`projects/${id}/sources`);
  addSources = (id: string, fileIds: readonly string[]): Promise<Source[]> =>
    this.send('POST', `projects/${id}/sources`, { fileIds });
  folders = (): Promise<FolderEntry> => this.get('folders');
  folder = (id: string): Promise<FolderEntry> => this.get(`folders/${id}`);
  copies = (id: string): Promise<LightCopy[]> => this.get(`projects/${id}/copies`);
  estimateCopies = (id: string, request: CopyRequest): Promise<CopyEstimate[]> =>
    this.send('POST', `projects/${id}/copies/estimate`, request);
  makeCopies = (id: string, request: CopyRequest): Promise<LightCopy[]> =>
    this.send('POST', `projects/${id}/copies`, request);
  removeCopy = (id: string): Promise<void> => this.send('DELETE', `copies/${id}`);
  jobs = (id: string): Promise<Job[]> => this.get(`projects/${id}/jobs`);
  cancelJob = (id: string): Promise<Job> => this.send('POST', `jobs/${id}/cancel`);
  runs = (id: string): Promise<RunRecord[]> => this.get(`projects/${id}/runs`);
  keepRun = (id: string, run: NewRun): Promise<RunRecord> => this.send('POST', `projects/${id}/runs`, run);
  removeRun = (id: string): Promise<void> => this.send('DELETE', `runs/${id}`);
  exports = (id: string): Promise<ExportRecord[]> => this.get(`projects/${id}/exports`);
  startExport = (id: string): Promise<ExportRecord> => this.send('POST', `projects/${id}/exports`);

  async runLog(id: string): Promise<Float32Array> {
    const reply = await this.request('GET', `runs/${id}/log`);
    return new Float32Array(await reply.arrayBuffer());
  }

  /** @param onProgress 0 to 1; fetch does not tell it, so the older interface is used */
  upload(id: string, file: File, onProgress: (share: number) => void): Promise<Source> {
    return new Promise((resolve, reject) => {
      const request = new XMLHttpRequest();
      request.open('POST', `/api/projects/${id}/uploads?name=${encodeURIComponent(file.name)}`);
      request.setRequestHeader('Content-Type', 'application/octet-stream');
      request.responseType = 'json';
      request.upload.onprogress = ({ loaded, total }) => onProgress(total ? loaded / total : 0);
      request.onerror = () => reject(new ApiError(NO_ANSWER));
      request.onload = () => {
        if (request.status < 400) resolve(request.response as Source);
        else
          reject(
            new ApiError((request.response as Problem | null) ?? { ...NO_ANSWER, status: request.status }),
          );
      };
      request.send(file);
    });
  }

  private async get<T>(path: string): Promise<T> {
    return (await (await this.request('GET', path)).json()) as T;
  }

  private async send<T>(method: string, path: string, body?: unknown): Promise<T> {
    const text = body === undefined ? undefined : JSON.stringify(body);
    const reply = await this.request(method, path, text, 'application/json');
    return (reply.status === 204 ? undefined : await reply.json()) as T;
  }

  private async request(method: string, path: string, body?: BodyInit, type?: string): Promise<Response> {
    const init: RequestInit = { method, headers: body !== undefined && type ? { 'Content-Type': type } : {} };
    if (body !== undefined) init.body = body;
    let reply: Response;
    try {
      reply = await fetch(`/api/${path}`, init);
    } catch {
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
