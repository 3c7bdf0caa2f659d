import type { Kernels } from '../shared/kernels.js';
import type { Plane } from '../shared/picture.js';
import { resampleTable, type ResampleKind } from './resample-table.js';

interface PlacedTable {
  readonly address: number;
  readonly entryBytes: number;
}

const WORK_BYTES = 2 * (16_384 + 16);
const TABLE_BYTES = 1 << 20;

/** A decode worker's own part of the shared memory: room for whole pictures, and the tables for resampling. */
export class Workspace {
  private tables = new Map<string, PlacedTable>();
  private nextTable: number;
  /** First byte that is free for pictures. */
  readonly pictures: number;

  /**
   * @param address first byte, a multiple of 16
   * @param bytes as `bytesFor` says for the largest source
   */
  constructor(
    private readonly memory: WebAssembly.Memory,
    private readonly kernels: Kernels,
    private readonly address: number,
    readonly bytes: number,
  ) {
    this.nextTable = address + WORK_BYTES;
    this.pictures = address + WORK_BYTES + TABLE_BYTES;
  }

  /** @param pictureBytes room for pictures */
  static bytesFor(pictureBytes: number): number {
    return WORK_BYTES + TABLE_BYTES + pictureBytes;
  }

  get end(): number {
    return this.address + this.bytes;
  }

  /** Reduces or enlarges one plane to the size of another, by the cheapest kernel that does it. */
  fit(source: Plane, target: Plane, kind: ResampleKind = 'quick'): void {
    const divisor = source.width / target.width;
    if (divisor === 1 && source.height === target.height) return this.copy(source, target);
    const isBox =
      kind === 'quick' && [2, 4, 8, 16].includes(divisor) && source.height === divisor * target.height;
    if (isBox) {
      this.kernels.reduceBox(
        source.address,
        source.stride,
        target.address,
        target.width,
        target.height,
        divisor,
      );
      return;
    }
    const rows = this.table(source.height, target.height, kind);
    const columns = this.table(source.width, target.width, kind);
    this.kernels.resamplePlane(
      source.address,
      source.stride,
      source.width,
      target.address,
      target.width,
      target.height,
      rows.address,
      rows.entryBytes,
      columns.address,
      columns.entryBytes,
      this.address,
    );
  }

  private copy(source: Plane, target: Plane): void {
    const bytes = new Uint8Array(this.memory.buffer);
    for (let row = 0; row < target.height; row++) {
      const from = source.address + row * source.stride;
      bytes.copyWithin(target.address + row * target.stride, from, from + target.width);
    }
  }

  private table(from: number, to: number, kind: ResampleKind): PlacedTable {
    const key = `${from}:${to}:${kind}`;
    const known = this.tables.get(key);
    if (known) return known;
    const { bytes, entryBytes } = resampleTable(from, to, kind);
    const end = this.address + WORK_BYTES + TABLE_BYTES;
    if (this.nextTable + bytes.length > end) {
      this.tables.clear();
      this.nextTable = this.address + WORK_BYTES;
    }
    const placed = { address: this.nextTable, entryBytes };
    new Uint8Array(this.memory.buffer).set(bytes, placed.address);
    this.nextTable += (bytes.length + 15) & ~15;
    this.tables.set(key, placed);
    return placed;
  }
}
