import { isMadeAlike, type PictureFacts } from '../media/index.js';
import type { Rig } from './rig.js';

/** Codecs that not all browsers decode, for licence reasons or by hardware only. */
const DECODED_IN_HARDWARE = ['hevc'];

/**
 * Whether the browser does not decode a kind of picture, so that the server does it: as it was measured, or else as is
 * usual.
 */
export function isRefusedByBrowser(
  { decoders, graphics }: Pick<Rig, 'decoders' | 'graphics'>,
  {
    codec,
    chroma,
    bitDepth,
    profile,
  }: Pick<PictureFacts, 'codec' | 'chroma' | 'bitDepth'> & Partial<Pick<PictureFacts, 'profile'>>,
): boolean {
  const tried = decoders.filter(
    (each) =>
      each.decoder === 'browser' &&
      each.codec === codec &&
      isMadeAlike(each.profile, profile) &&
      each.chroma === chroma &&
      each.bitDepth === bitDepth,
  );
  if (tried.length) return tried.every(({ acceleration }) => acceleration === 'none');
  return graphics.software && DECODED_IN_HARDWARE.includes(codec);
}
