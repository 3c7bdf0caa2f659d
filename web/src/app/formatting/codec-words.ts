/** Names of codecs as their standards give them, by what ffmpeg calls them. */
const NAMES: Readonly<Partial<Record<string, string>>> = {
  ...{ h264: 'H.264', hevc: 'H.265', vp8: 'VP8', vp9: 'VP9', av1: 'AV1', vvc: 'H.266', h263: 'H.263' },
  ...{ mpeg1video: 'MPEG-1', mpeg2video: 'MPEG-2', mpeg4: 'MPEG-4 Part 2', vc1: 'VC-1', dvvideo: 'DV' },
  ...{ dnxhd: 'VC-3', prores: 'RDD 36', mjpeg: 'Motion JPEG', jpeg2000: 'JPEG 2000', png: 'PNG' },
  ...{ ffv1: 'FFV1', utvideo: 'Ut Video', huffyuv: 'Huffyuv', ffvhuff: 'FFVHuff', theora: 'Theora' },
  ...{ rawvideo: 'uncompressed', v210: 'uncompressed', v410: 'uncompressed', r210: 'uncompressed' },
  ...{ aac: 'AAC', mp2: 'MPEG-1 Layer II', mp3: 'MP3', ac3: 'AC-3', eac3: 'E-AC-3', dts: 'DTS' },
  ...{ flac: 'FLAC', alac: 'ALAC', opus: 'Opus', vorbis: 'Vorbis' },
};

/** Name of a codec for people; that of ffmpeg where the standard's is not known. */
export const codecName = (codec: string): string =>
  NAMES[codec] ?? (codec.startsWith('pcm_') ? 'PCM' : codec);
