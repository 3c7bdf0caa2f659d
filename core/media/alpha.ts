import type { PictureFacts } from './facts.js';

/** Properties of a picture that decide its transparency. */
type Transparent = Pick<PictureFacts, 'alpha' | 'premultiplied' | 'chroma'>;

/**
 * The filters, ending in a comma, that make straight alpha of a picture's transparency; empty for what has none, or has it
 * straight. With premultiplied alpha the colours are those over black.
 */
export function straightAlpha({ alpha, premultiplied, chroma }: Transparent): string {
  if (!alpha || !premultiplied) return '';
  return chroma === 'RGB' ? 'format=gbrap,unpremultiply=inplace=1,' : 'unpremultiply=inplace=1,';
}

/** Whether a source's pictures are partly transparent. */
export const hasTransparency = (facts: { readonly picture: Pick<PictureFacts, 'alpha'> | null }): boolean =>
  facts.picture?.alpha === true;

/** Identity of what a source looks like: that of its file, and how its transparency is interpreted. */
export const interpretedStamp = (
  stamp: string,
  picture: Pick<PictureFacts, 'alpha' | 'premultiplied'> | null | undefined,
): string => (picture?.alpha && picture.premultiplied ? `${stamp} premultiplied` : stamp);

/**
 * ffmpeg's decoder for a picture whose own one leaves its transparency out: VP8 and VP9 carry it beside the picture.
 * @returns arguments that stand before the input
 */
export function alphaDecoder(picture: Pick<PictureFacts, 'alpha' | 'codec'> | null | undefined): string[] {
  if (!picture?.alpha) return [];
  const decoders: Readonly<Record<string, string>> = { vp8: 'libvpx', vp9: 'libvpx-vp9' };
  const decoder = decoders[picture.codec];
  return decoder ? ['-c:v', decoder] : [];
}
