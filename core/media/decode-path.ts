import type { SourceFacts, Stills } from './facts.js';

/** Containers that the page can take apart, in ffprobe's names. */
const READ_BY_PAGE = ['mov', 'mp4', 'matroska', 'webm', 'mpegts', 'ogg', 'wav', 'mp3', 'flac', 'aac'];
/** Codecs that browsers decode, if not all of them everywhere: the page tries, and turns to the server if it cannot. */
const TRIED_BY_PAGE = ['h264', 'hevc', 'vp8', 'vp9', 'av1'];
const SOUND_OF_BROWSERS = ['aac', 'mp3', 'opus', 'vorbis', 'flac'];
/** Sound that is decoded more slowly than this many times its own pace is kept decoded. */
const SLOW_SOUND = 40;

const isReadByPage = ({ container }: SourceFacts): boolean =>
  container.split(',').some((name) => READ_BY_PAGE.includes(name));

/**
 * Why the picture of a source must be decoded by the server's ffmpeg.
 * @returns a part of a sentence, or null when the browser may try
 */
export function serverDecodeReason(facts: SourceFacts, stills: Stills | null): string | null {
  const { picture } = facts;
  if (stills) return 'numbered still images';
  if (!picture) return null;
  if (picture.alpha) return 'no browser decodes transparency';
  if (picture.scan !== 'progressive') return 'interlaced';
  if (!TRIED_BY_PAGE.includes(picture.codec)) return `no browser decodes ${picture.codec}`;
  if (!isReadByPage(facts)) return `no browser reads ${facts.container}`;
  return null;
}

/**
 * Whether the sound of a source is kept decoded, so that it never holds playback up.
 * @param timesRealTime seconds of sound that ffmpeg decodes in one
 */
export function keepsDecodedSound(facts: SourceFacts, timesRealTime: number): boolean {
  const codec = facts.sound?.codec ?? '';
  const decodes =
    SOUND_OF_BROWSERS.includes(codec) || /^pcm_(u8|[suf](16|24|32|64)(le|be)|alaw|mulaw)$/.test(codec);
  return !decodes || !isReadByPage(facts) || timesRealTime < SLOW_SOUND;
}
