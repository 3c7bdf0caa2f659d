import { isUnreferenced } from '@hone/core/media';
import { ALL_FORMATS, EncodedPacketSink, Input, UrlSource, type EncodedPacket } from 'mediabunny';

/** The picture track of a file that is read over HTTP ranges. */
export interface PictureFile {
  readonly config: VideoDecoderConfig;
  readonly packets: EncodedPacketSink;
  /** Seconds. */
  readonly firstTimestamp: number;
  readonly firstPacket: EncodedPacket;
}

/** Whether no other picture of a file refers to one of its coded pictures; false where it is not known. */
export function isUnreferencedIn({ config }: Pick<PictureFile, 'config'>, picture: Uint8Array): boolean {
  if (!/^avc[13]/.test(config.codec)) return false;
  return isUnreferenced(picture, lengthBytes(config.description));
}

/** Bytes of the length before each unit of a picture, from the AVCDecoderConfigurationRecord (ISO/IEC 14496-15). */
function lengthBytes(description: AllowSharedBufferSource | undefined): number | null {
  if (!description) return null;
  const bytes = ArrayBuffer.isView(description)
    ? new Uint8Array(description.buffer, description.byteOffset, description.byteLength)
    : new Uint8Array(description);
  return ((bytes[4] ?? 3) & 3) + 1;
}

const KEPT = 6;
const SMALLEST_CACHE = 4 * 2 ** 20;

/** Keeps the files that were read last open, since cuts go back and forth between a few. */
export class PictureFiles {
  private readonly open = new Map<string, Promise<PictureFile>>();
  private readonly inputs = new Map<string, Input>();

  /** @param heldBytes of all files together that are held in memory */
  constructor(private readonly heldBytes = 96 * 2 ** 20) {}

  /** @throws Error in a sentence when the file has no picture or the browser cannot decode it */
  get(url: string): Promise<PictureFile> {
    const known = this.open.get(url) ?? this.read(url);
    this.open.delete(url);
    this.open.set(url, known);
    known.catch(() => this.forget(url));
    if (this.open.size > KEPT) this.forget(this.open.keys().next().value!);
    return known;
  }

  private forget(url: string): void {
    this.open.delete(url);
    this.inputs.get(url)?.dispose();
    this.inputs.delete(url);
  }

  private async read(url: string): Promise<PictureFile> {
    const source = new UrlSource(url, {
      maxCacheSize: Math.max(SMALLEST_CACHE, Math.floor(this.heldBytes / KEPT)),
      getRetryDelay: (attempts) => (attempts < 3 ? 0.2 * 2 ** attempts : null),
    });
    const input = new Input({ source, formats: ALL_FORMATS });
    this.inputs.set(url, input);
    const track = await input.getPrimaryVideoTrack();
    if (!track) throw new Error('The file has no picture.');
    const config = await track.getDecoderConfig();
    if (!config)
      throw new Error('The codec of the picture is not known to the browser. Make a light copy of it.');
    const { supported } = await VideoDecoder.isConfigSupported(config);
    if (!supported) throw new Error(`This browser cannot decode ${config.codec}. Make a light copy of it.`);
    const packets = new EncodedPacketSink(track);
    const firstPacket = await packets.getFirstPacket();
    if (!firstPacket) throw new Error('The file has no pictures in it.');
    return { config, packets, firstTimestamp: await track.getFirstTimestamp(), firstPacket };
  }
}
