import type { Rational } from '../../time/index.js';

/**
 * ffmpeg's filters that number frames from 0, with a time base of one frame: what is laid over each other is then matched
 * frame by frame, whatever time base its file had.
 */
export const frameTimebase = ({ num, den }: Rational): string => `settb=${den}/${num},setpts=N`;
