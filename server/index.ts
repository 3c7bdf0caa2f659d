export { configFrom, type Config } from './config.js';
export { startServer, type RunningServer, type Services } from './start.js';
export type { JobContext, JobHandler, JobQueue, NewJob } from './jobs/queue.js';
export { runFfmpeg, runTool, fileArgument, CancelledError } from './ffmpeg/process.js';
export { probe } from './ffmpeg/probe.js';
export { plainFile } from './ffmpeg/input.js';
export { readPackets } from './media/index-job.js';
export { copySizeOf } from './copies/make-copy.js';
export { effectAssets } from './effects/effect-assets.js';
