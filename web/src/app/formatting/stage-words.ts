import type { Stage } from '@hone/core/playback';

export const STAGE_NAMES: Readonly<Record<Stage, string>> = {
  read: 'Read',
  decode: 'Decode',
  scale: 'Scale',
  effects: 'Effects',
  compose: 'Compose',
  show: 'Show',
};
