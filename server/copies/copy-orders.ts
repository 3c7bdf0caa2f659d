import { join } from 'node:path';
import { intraH264, shownSize, type CopyDivisor } from '@hone/core/media';
import { copyDivisorFor } from '@hone/core/render';
import type { JobQueue } from '../jobs/queue.js';
import type { SourceRow } from '../media/source-store.js';
import type { ProjectStore } from '../projects/project-store.js';
import { copyStamp, type CopyRow, type CopyStore } from './copy-store.js';
import { copyLayoutOf } from './make-copy.js';

/** Orders light copies: those asked for, and those that a project wants of all it imports. */
export class CopyOrders {
  constructor(
    private readonly projects: ProjectStore,
    private readonly copies: CopyStore,
    private readonly queue: JobQueue,
    private readonly folder: string,
  ) {}

  /** Orders the copy of a source. One that is ready or being made stays; a stale or failed one is replaced. */
  async order(source: SourceRow, divisor: CopyDivisor): Promise<CopyRow> {
    const { projectId } = source;
    const before = await this.copies.forSource(source.id, divisor);
    const isUsable =
      before?.state === 'making' || (before?.state === 'ready' && before.sourceStamp === copyStamp(source));
    if (before && !isUsable) await this.remove(before);
    const row = before && isUsable ? before : await this.add(source, divisor);
    if (row.state === 'making') {
      const title = `Light copy of ${source.name}, ${row.width}\u00a0×\u00a0${row.height}`;
      await this.queue.add({ projectId, kind: 'copy', title, subjectId: row.id });
    }
    return row;
  }

  /** Ends what is still done with a copy, such as comparing it, and removes it. */
  async remove(row: CopyRow): Promise<void> {
    await this.queue.endFor([row.id]);
    await this.copies.remove(row);
  }

  /** Orders the copy of a source that was just imported, where its project says so and it is larger than copies are. */
  async orderAtImport(source: SourceRow): Promise<void> {
    if (source.state !== 'ready' || !source.facts?.picture) return;
    const { timeline, tuning, takesFirstShape } = await this.projects.get(source.projectId);
    if (!tuning.copiesAtImport) return;
    const shape = takesFirstShape ? { ...timeline, size: shownSize(source.facts.picture) } : timeline;
    const divisor = copyDivisorFor(shape, tuning, source.id, source.facts);
    if (divisor > 1) await this.order(source, divisor);
  }

  private add(source: SourceRow, divisor: CopyDivisor): Promise<CopyRow> {
    const layout = copyLayoutOf(source, divisor);
    return this.copies.add({
      ...{ projectId: source.projectId, sourceId: source.id, divisor, ...layout },
      format: intraH264(divisor, layout.alphaRow !== null).label,
      path: join(this.folder, `${source.id}-${divisor}.mp4`),
      sourceStamp: copyStamp(source),
    });
  }
}
