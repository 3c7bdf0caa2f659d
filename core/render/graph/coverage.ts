import { hasTransparency, type SourceFacts } from '../../media/index.js';
import type { FrameSize } from '../../timeline/index.js';
import { cropOf, isMasked, opacityIsFull, type Area } from '../effects/index.js';
import type { FactsOf } from './facts-of.js';
import { coversFrame, layerStages, type Layer } from './layer.js';
import type { Placement } from './placement.js';

/** What one picture does to a frame. */
interface Coverage {
  /** Nothing of it is seen outside. */
  readonly within: Area;
  /** Nothing of what is below is seen inside; null where there is no such part. */
  readonly opaque: Area | null;
}

const isEmpty = ({ left, top, right, bottom }: Area): boolean => left >= right || top >= bottom;

const shared = (a: Area, b: Area): Area => ({
  left: Math.max(a.left, b.left),
  top: Math.max(a.top, b.top),
  right: Math.min(a.right, b.right),
  bottom: Math.min(a.bottom, b.bottom),
});

/** What is left of an area without another: up to four areas that do not overlap. */
function without(area: Area, taken: Area): Area[] {
  const both = shared(area, taken);
  if (isEmpty(both)) return [area];
  return [
    { ...area, bottom: both.top },
    { ...area, top: both.bottom },
    { ...both, left: area.left, right: both.left },
    { ...both, left: both.right, right: area.right },
  ].filter((part) => !isEmpty(part));
}

/** Parts of a frame through which one can still see, from the uppermost picture down. */
export class OpenFrame {
  private readonly whole: Area;
  private open: readonly Area[];

  constructor(
    private readonly size: FrameSize,
    private readonly factsOf: FactsOf,
  ) {
    this.whole = { left: 0, top: 0, right: size.width, bottom: size.height };
    this.open = [this.whole];
  }

  get isCovered(): boolean {
    return this.open.length === 0;
  }

  /**
   * Puts pictures below all that came before: one, or the two of a transition.
   * @returns whether anything of them is seen
   */
  put(layers: readonly Layer[]): boolean {
    const each = layers.map((layer) =>
      coverageOf(layer, this.factsOf(layer.sourceId), this.size, this.whole),
    );
    // A transition may colour the whole frame.
    const within = each.length === 1 ? each[0]!.within : this.whole;
    if (!this.open.some((area) => !isEmpty(shared(area, within)))) return false;
    const opaque = each.reduce<Area | null>(
      (both, { opaque: own }) => both && own && shared(both, own),
      this.whole,
    );
    if (opaque) this.open = this.open.flatMap((area) => without(area, opaque));
    return true;
  }
}

function coverageOf(layer: Layer, facts: SourceFacts | undefined, size: FrameSize, whole: Area): Coverage {
  const placed = facts?.picture ? placedOf(layer, facts, size) : null;
  if (!placed) return { within: whole, opaque: coversFrame(layer, facts, size) ? whole : null };
  const { placement, area } = placed;
  if (isEmpty(area)) return { within: area, opaque: null };
  const isOpaque = !hasTransparency(facts!) && !isMasked(layer.effects) && opacityIsFull(layer.effects);
  return {
    within: inFrame(placement, area, Math.floor, Math.ceil),
    opaque: isOpaque ? inFrame(placement, area, Math.ceil, Math.floor) : null,
  };
}

// An upright, still picture that is composed in one stage, and the part of it that is not cropped.
function placedOf(
  layer: Layer,
  facts: SourceFacts,
  size: FrameSize,
): { placement: Placement; area: Area } | null {
  const [{ pose, effects }, ...later] = layerStages(layer, facts, size);
  const area = cropOf(effects, pose.raster);
  return later.length === 0 && pose.placement && area ? { placement: pose.placement, area } : null;
}

// Chroma samples stand for two pixels each way: where one of them is cut, both count as partly seen.
const inFrame = (
  { x, y }: Placement,
  { left, top, right, bottom }: Area,
  first: (value: number) => number,
  last: (value: number) => number,
): Area => ({
  left: x + 2 * first(left / 2),
  top: y + 2 * first(top / 2),
  right: x + 2 * last(right / 2),
  bottom: y + 2 * last(bottom / 2),
});
