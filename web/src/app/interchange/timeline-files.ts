import { inject, Injectable } from '@angular/core';
import { Store } from '@ngrx/store';
import type { LightCopy, Project, Source } from '@hone/core/api';
import {
  cmxRates,
  MOST_FILE_BYTES,
  readCmx,
  readOtio,
  relinkable,
  writeCmx,
  writeOtio,
  type ImportedTimeline,
  type WrittenMedia,
} from '@hone/core/interchange';
import { compare, rational, type Rational } from '@hone/core/time';
import { mediaFeature } from '../state/media.feature';
import { selectProject, selectSources } from '../state/selectors';

const addressOf = (path: string): string => `file://${path.split('/').map(encodeURIComponent).join('/')}`;

/** A timeline file that was read. */
export interface OpenedTimeline {
  readonly imported: ImportedTimeline;
  /** Rates that it can be meant at, where the file does not say its rate; else none. */
  readonly rates: readonly Rational[];
  /** Reads it once more, at another of these rates. */
  readAt(rate: Rational): ImportedTimeline;
}

/** Timelines in open formats, from files and to files. */
@Injectable({ providedIn: 'root' })
export class TimelineFiles {
  private readonly store = inject(Store);
  private readonly project = this.store.selectSignal(selectProject);
  private readonly sources = this.store.selectSignal(selectSources);
  private readonly copies = this.store.selectSignal(mediaFeature.selectCopyList);

  /** @throws Error in a sentence when it is damaged or no timeline */
  async read(file: File): Promise<OpenedTimeline> {
    const project = this.project();
    if (!project) throw new Error('Open a project first.');
    if (file.size > MOST_FILE_BYTES)
      throw new Error(
        `"${file.name}" is larger than 50 MB; no timeline needs so much. Choose a timeline file.`,
      );
    const text = await file.text();
    if (text.trimStart().startsWith('{'))
      return { imported: readOtio(text), rates: [], readAt: () => readOtio(text) };
    const rates = cmxRates(text);
    const usual = rates.find((rate) => compare(rate, project.timeline.rate) === 0) ?? rates[0];
    const readAt = (rate: Rational): ImportedTimeline => readCmx(text, rate);
    return { imported: readAt(usual ?? project.timeline.rate), rates, readAt };
  }

  saveOtio(): void {
    const project = this.project();
    if (project) saveFile(writeOtio(project.name, project.timeline, this.mediaOf()), `${project.name}.otio`);
  }

  saveCmx(): void {
    const project = this.project();
    if (project) saveFile(writeCmx(project.name, project.timeline, this.mediaOf()), `${project.name}.edl`);
  }

  private mediaOf(): (id: string) => WrittenMedia | undefined {
    const sources = new Map(this.sources().map((source) => [source.id, source]));
    const copies = new Map<string, LightCopy>();
    for (const copy of this.copies()) if (copy.state === 'ready') copies.set(copy.sourceId, copy);
    return (id) => {
      const source = sources.get(id);
      return source && writtenMedia(source, this.project()!, copies.get(id));
    };
  }
}

function writtenMedia(source: Source, { timeline }: Project, copy: LightCopy | undefined): WrittenMedia {
  const { name, path, lengthSeconds, startSeconds } = relinkable(source);
  return {
    name,
    target: addressOf(path),
    lengthSeconds,
    startSeconds,
    content:
      source.contentHash && source.bytes ? { sha256: source.contentHash, bytes: source.bytes } : undefined,
    // Sound has no frames of its own; milliseconds are exact enough to find it again.
    rate: source.facts?.picture?.rate ?? (source.facts ? rational(1000) : timeline.rate),
    copyTarget: copy && addressOf(`${copy.folder.replace(/\/$/, '')}/${copy.sourceId}-${copy.divisor}.mp4`),
  };
}

/** Has the browser save a text as a file. */
export function saveFile(text: string, name: string): void {
  const address = URL.createObjectURL(new Blob([text], { type: 'application/octet-stream' }));
  const link = document.createElement('a');
  link.href = address;
  link.download = name.replace(/[/\\:*?"<>|]+/g, ' ');
  link.click();
  URL.revokeObjectURL(address);
}
