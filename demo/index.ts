export {
  DEMO_PROJECT,
  SHORT_PROJECT,
  footageHandler,
  prepareDemo,
  type DemoProjectId,
} from './demo-project.js';
export { DEMO_SHOTS, SLACK_WATER_SHORT } from './scenario.js';
export { codeBits, readCode, type FrameCode } from './footage/frame-code.js';
export { codedFrame, makeCodedClip, type CodedClip } from './footage/coded-clip.js';
