import type { PictureShares } from '@hone/core/machine';
import { turnedFrames, waitingPictures } from '@hone/core/pacing';
import { isOpaque, passagesOf, stagesOf, transformOf, type RenderGraph } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import type { MediaFile, PreviewPlan } from '../plan.js';
import {
  betweenBytes,
  givesAlpha,
  pictureBytes,
  stagesBytes,
  type StagedPictures,
} from '../decode/picture-stages.js';
import { reductionBytes } from '../decode/reduce-frame.js';
import { Workspace } from '../decode/workspace.js';
import { FIRST_FREE, PAGE } from '../shared/kernels.js';
import type { Channel, DecodeReply, DecodeRequest, DecodeRoom } from '../shared/messages.js';
import { aligned, planarBytes } from '../shared/picture.js';
import type { ComposeRoom } from './composer.js';
import { SHAPE_BYTES } from '../shared/masks-transforms.js';
import { MOST_SLATES } from './slates.js';

/** Layout of the shared memory. Addresses are in bytes. */
export interface Layout {
  readonly playSlots: readonly number[];
  /** Bytes of each of them. */
  readonly playBytes: number;
  /** Most pictures that may wait to be shown while it plays; the other slots keep what was shown. */
  readonly mostWaiting: number;
  /** Frames whose pictures fit into memory, beside those that wait. */
  readonly keptFrames: number;
  readonly restSlots: readonly number[];
  /** Frames of a run of backwards playback. */
  readonly turned: number;
  readonly compose: ComposeRoom;
  /** Room for pictures of sources that are missing. */
  readonly slates: readonly number[];
  readonly decodeRooms: readonly DecodeRoom[];
  readonly totalBytes: number;
}

/**
 * Lays a plan out in the shared memory, and gives each decode worker its part.
 * @throws Error in a sentence when the memory does not suffice
 */
export function layOut(
  plan: PreviewPlan,
  memory: WebAssembly.Memory,
  decoders: readonly Channel<DecodeRequest, DecodeReply>[],
  shares: PictureShares,
): Layout {
  const layout = layoutFor(plan, decoders.length, shares);
  makeRoom(memory, layout);
  layout.decodeRooms.forEach((room, index) => decoders[index]!.send({ kind: 'workspace', room }));
  return layout;
}

/**
 * @param decoders number of decode workers
 * @param shares memory of the pictures that wait to be shown, and of those that are kept
 */
export function layoutFor(plan: PreviewPlan, decoders: number, shares: PictureShares): Layout {
  const { framePoolBytes, keptPictureBytes } = shares;
  const { preview } = plan;
  let next = FIRST_FREE;
  const take = (bytes: number): number => {
    const address = next;
    next += aligned(bytes);
    return address;
  };
  const layers = layersIn(preview.played);
  const restLayers = Math.max(layers, layersIn(preview.graph));
  const bytesOf = (size: FrameSize): number => planarBytes(size.width, size.height);
  const { played, graph, playSize, restSize } = preview;
  const playing = picturesIn(played, plan.pictures, playSize);
  const originals = { ...plan.pictures, ...plan.originals };
  const resting = [...picturesIn(played, plan.pictures, restSize), ...picturesIn(graph, originals, restSize)];
  const mostOf = (size: FrameSize, pictures: readonly MadePictures[]): number =>
    Math.max(bytesOf(size), ...pictures.map(pictureBytes));
  const playBytes = mostOf(preview.playSize, playing);
  const restBytes = mostOf(preview.restSize, resting);
  const made = [...playing, ...resting];
  const playCount = waitingPictures(playBytes, bytesOf(preview.playSize), layers, framePoolBytes);
  const largest = Math.max(bytesOf(preview.playSize), bytesOf(preview.restSize));
  const pixels = (size: FrameSize): number => size.width * size.height;
  const mostPixels = Math.max(pixels(preview.playSize), pixels(preview.restSize));

  const mostWaiting = playCount * layers;
  const slotCount = Math.max(
    mostWaiting,
    Math.floor((framePoolBytes + keptPictureBytes) / aligned(playBytes)),
  );
  const playSlots = Array.from({ length: slotCount }, () => take(playBytes));
  const restSlots = Array.from({ length: 2 * restLayers }, () => take(restBytes));
  const seen = graph.stretches.flatMap((stretch) => stretch.layers);
  const mixes = seen.some(({ mix }) => mix !== null);
  const isTransparent = made.some(givesAlpha);
  const shapes = isTransparent || seen.some(({ effects }) => !isOpaque(effects) || transformOf(effects));
  const shapeBytes = Math.max(largest, playBytes, restBytes);
  const compose: ComposeRoom = {
    composed: take(largest),
    mixing: [take(mixes ? largest : 0), take(mixes ? largest : 0)],
    colours: take(4 * mostPixels),
    warped: take(shapes ? 2 * largest : 0),
    alphas: Array.from({ length: shapes ? restLayers + 1 : 0 }, () => take(shapeBytes)),
    product: take(isTransparent ? shapeBytes : 0),
    shapes: take(SHAPE_BYTES),
  };
  const workBytes = Workspace.bytesFor(largestReduction(made));
  const slateCount = Math.min(MOST_SLATES, Object.keys(plan.missing).length);
  const slates = Array.from({ length: slateCount }, () => take(largest));
  const between = Math.max(0, ...made.map(betweenBytes));
  const effects = between + largestEffects(made);
  const decodeRooms = Array.from({ length: decoders }, () => ({
    address: take(workBytes),
    bytes: workBytes,
    effects: { address: take(effects), betweenBytes: between, bytes: effects },
  }));
  const turned = turnedFrames(playCount);
  return {
    ...{ playSlots, playBytes, mostWaiting, restSlots, turned },
    keptFrames: Math.floor((slotCount - mostWaiting) / layers),
    ...{ compose, slates, decodeRooms, totalBytes: next },
  };
}

interface MadePictures extends StagedPictures {
  readonly file: MediaFile;
}

const layersIn = ({ stretches }: RenderGraph): number =>
  Math.max(1, ...stretches.map(({ layers }) => layers.length));

/** The pictures of a graph for a frame size, each kind once. */
function picturesIn(graph: RenderGraph, pictures: PreviewPlan['pictures'], frame: FrameSize): MadePictures[] {
  const found = new Map<string, MadePictures>();
  for (const { sourceId, effects, framing } of passagesOf(graph)) {
    const file = pictures[sourceId];
    if (!file) continue;
    const stages = stagesOf(effects, file.shownSize, frame, framing);
    found.set(JSON.stringify([sourceId, stages]), { stages, frame, file, hasAlpha: file.hasAlpha });
  }
  return [...found.values()];
}

const largestReduction = (made: readonly MadePictures[]): number =>
  Math.max(1 << 20, ...made.map(({ file, stages }) => reductionBytes(file.size, stages[0].pose.raster)));

/** Most room that tables and masks of effects get beyond what one picture needs. */
const MOST_KEPT = 48 << 20;

// Enough for the picture that needs most, and if there is room for what all of them are prepared with.
function largestEffects(made: readonly MadePictures[]): number {
  const needs = made.map(stagesBytes);
  const most = Math.max(0, ...needs);
  const all = needs.reduce((sum, each) => sum + each, 0);
  return most + Math.min(MOST_KEPT, all - most);
}

/** Grows the memory to hold a layout. @throws RangeError when the machine cannot give that much */
function makeRoom(memory: WebAssembly.Memory, layout: Layout): void {
  const missing = layout.totalBytes - memory.buffer.byteLength;
  if (missing <= 0) return;
  try {
    memory.grow(Math.ceil(missing / PAGE));
  } catch {
    const megabytes = Math.ceil(layout.totalBytes / 1e6);
    throw new RangeError(
      `The preview needs ${megabytes} MB of memory, which the browser refused. Choose a smaller preview scale.`,
    );
  }
}
