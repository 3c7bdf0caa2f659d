import { layerTime, mixShare, numberAt, type Layer, type RenderGraph } from '../render/index.js';

/** What a layer shows in a frame, by the values that its effects and its transition have in it. */
export interface SeenLayer {
  readonly picture: unknown;
  readonly effects: readonly unknown[];
  readonly mixed: unknown;
}

/** Layers of a frame, the lowest first. */
export const layersAt = ({ stretches }: RenderGraph, frame: number): readonly Layer[] =>
  stretches.find(({ from, to }) => from <= frame && frame < to)!.layers;

/** Description of a layer in a frame, independent of clips: of its picture by source, time and framing. */
export function seenLayer(layer: Layer, frame: number, { rate }: Pick<RenderGraph, 'rate'>): SeenLayer {
  const at = frame - layer.clipStart;
  const effects = layer.effects.map((effect) => {
    const keyed = Object.keys(effect.keyframes ?? {}).map((name) => [name, numberAt(effect, name, at)]);
    return [effect.kind, effect.values, keyed, effect.kind === 'grain' ? at : null];
  });
  const { mix, framing, sourceId } = layer;
  const mixed = mix && [mix.kind, mix.colour, mixShare(mix, frame)];
  return { picture: [sourceId, layerTime(layer, frame, rate), framing], effects, mixed };
}

/** Description of a frame: two frames with equal ones look the same. */
export const seenAt = (graph: RenderGraph, frame: number): string =>
  JSON.stringify(layersAt(graph, frame).map((layer) => seenLayer(layer, frame, graph)));
