/** Timeline frames [from, to). */
export interface FrameRange {
  readonly from: number;
  readonly to: number;
}

/** The union of ranges, ascending: those that overlap or touch become one. */
export function mergeRanges(ranges: readonly FrameRange[]): FrameRange[] {
  const merged: FrameRange[] = [];
  for (const { from, to } of [...ranges].sort((a, b) => a.from - b.from)) {
    const last = merged.at(-1);
    if (last && last.to >= from) merged[merged.length - 1] = { from: last.from, to: Math.max(last.to, to) };
    else merged.push({ from, to });
  }
  return merged;
}
