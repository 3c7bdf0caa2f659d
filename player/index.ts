export * from './player.js';
export * from './plan.js';
export type {
  FillingProgress,
  LostDecoder,
  MeasuredFacts,
  PictureOrigin,
  PlayerState,
  ShownPixels,
} from './shared/messages.js';
export * from './plan-for.js';
export { ServerFrameSource as ServerSupply } from './decode/server-frame-source.js';
export { RigProbe } from './rig/probe.js';
export { runDecodeTrials, tryCacheFormats, tryDecoding } from './rig/decode-trial.js';
export { currentRenderer } from './rig/renderer.js';
export type { DecodeTimes, GraphicsTimes, KernelTimes, ShowTimes } from './rig/times.js';
