import { LOG_COLUMNS, type FrameLog } from '@hone/core/playback';

const rounded = (value: number): string => (Number.isNaN(value) ? '' : String(Number(value.toFixed(3))));

/** A frame log as comma-separated values (RFC 4180): a line a frame, times in ms, empty where nothing is known. */
export function csvOf(log: FrameLog): string {
  const head = ['frame', ...LOG_COLUMNS].join(',');
  const lines = Array.from({ length: log.length }, (_, row) => {
    const frame = log.firstFrame + row;
    return [frame, ...LOG_COLUMNS.map((column) => rounded(log.get(frame, column)))].join(',');
  });
  return [head, ...lines, ''].join('\r\n');
}

/** A frame log as one object a frame; null where nothing is known. */
export function framesOf(log: FrameLog): Record<string, number | null>[] {
  return Array.from({ length: log.length }, (_, row) => {
    const frame = log.firstFrame + row;
    const values = LOG_COLUMNS.map((column) => {
      const value = log.get(frame, column);
      return [column, Number.isNaN(value) ? null : value];
    });
    return { frame, ...Object.fromEntries(values) } as Record<string, number | null>;
  });
}
