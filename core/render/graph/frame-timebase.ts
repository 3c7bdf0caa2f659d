import type { Rational } from '../../time/index.js';

/**
 * ffmpeg's filters that number frames from 0, with a time base of one frame, so that layers match frame by frame,
 * whatever time bases their files have.
 */
export const frameTimebase = ({ num, den }: Rational): string => `settb=${den}/${num},setpts=N`;
