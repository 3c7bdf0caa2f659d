/** Properties of a pixel format, by its name. */
export interface PixelFormatFacts {
  readonly chroma: '4:2:0' | '4:2:2' | '4:4:4' | '4:1:1' | '4:4:0' | '4:1:0' | 'RGB' | 'grey' | 'unknown';
  /** Bits of one sample. */
  readonly bitDepth: number;
  readonly alpha: boolean;
}

const SHARED_NAMES: Readonly<Record<string, PixelFormatFacts>> = {
  nv12: { chroma: '4:2:0', bitDepth: 8, alpha: false },
  nv21: { chroma: '4:2:0', bitDepth: 8, alpha: false },
  p010le: { chroma: '4:2:0', bitDepth: 10, alpha: false },
  uyvy422: { chroma: '4:2:2', bitDepth: 8, alpha: false },
  yuyv422: { chroma: '4:2:2', bitDepth: 8, alpha: false },
  pal8: { chroma: 'RGB', bitDepth: 8, alpha: true },
};

/**
 * Reads chroma sampling, bit depth and alpha from a pixel format's name as ffmpeg writes it, by the rules by which the
 * names are made ("yuva422p10le" is 4:2:2 of 10 bits with alpha).
 */
export function pixelFormatFacts(name: string): PixelFormatFacts {
  const known = SHARED_NAMES[name];
  if (known) return known;
  const planar = /^yuv(j|a)?(4\d\d)p(\d+)?(le|be)?$/.exec(name);
  if (planar) {
    const chroma = Array.from(planar[2]!).join(':') as PixelFormatFacts['chroma'];
    return { chroma, bitDepth: Number(planar[3] ?? 8), alpha: planar[1] === 'a' };
  }
  const grey = /^(gray|ya)(\d+)?(le|be)?$/.exec(name);
  if (grey) return { chroma: 'grey', bitDepth: Number(grey[2] ?? 8), alpha: grey[1] === 'ya' };
  const planes = /^gbr(a)?p(\d+)?(le|be)?$/.exec(name);
  if (planes) return { chroma: 'RGB', bitDepth: Number(planes[2] ?? 8), alpha: planes[1] === 'a' };
  const packed = /^(?:0?(rgb|bgr)0?|(rgba|bgra|argb|abgr))(24|48|64|32)?(le|be)?$/.exec(name);
  if (packed) {
    const bits = packed[3] === '48' || packed[3] === '64' ? 16 : 8;
    return { chroma: 'RGB', bitDepth: bits, alpha: packed[2] !== undefined };
  }
  return { chroma: 'unknown', bitDepth: 8, alpha: false };
}

/** Bytes of an 8-bit 4:2:0 picture whose planes follow each other without padding. */
export function planarBytes(width: number, height: number): number {
  return width * height + 2 * ((width + 1) >> 1) * ((height + 1) >> 1);
}
