/** One picture packet. Times are ticks of the file, `ticksPerSecond` of the index to the second. */
export interface Packet {
  readonly bytes: number;
  readonly key: boolean;
  /** When its picture is shown. */
  readonly pts: number;
  /** Decode time; packets are in this order. */
  readonly dts: number;
}

const VERSION = 1;

/** Writes integers in as few bytes as they need: seven bits to a byte, the lowest first. */
class ByteWriter {
  private bytes = new Uint8Array(1 << 16);
  private length = 0;

  unsigned(value: number): void {
    if (this.length + 8 > this.bytes.length) {
      const larger = new Uint8Array(2 * this.bytes.length);
      larger.set(this.bytes);
      this.bytes = larger;
    }
    let rest = value;
    while (rest >= 128) {
      this.bytes[this.length++] = (rest % 128) + 128;
      rest = Math.floor(rest / 128);
    }
    this.bytes[this.length++] = rest;
  }

  signed(value: number): void {
    this.unsigned(value < 0 ? -2 * value - 1 : 2 * value);
  }

  done(): Uint8Array {
    return this.bytes.slice(0, this.length);
  }
}

class ByteReader {
  private at = 0;

  constructor(private readonly bytes: Uint8Array) {}

  unsigned(): number {
    let value = 0;
    let unit = 1;
    for (;;) {
      const byte = this.bytes[this.at++];
      if (byte === undefined) throw new RangeError('The packet index is cut off. Read the source again.');
      value += (byte % 128) * unit;
      if (byte < 128) return value;
      unit *= 128;
    }
  }

  signed(): number {
    const value = this.unsigned();
    return value % 2 ? -(value + 1) / 2 : value / 2;
  }
}

/** Takes packets as they are read and keeps them in a few bytes each. */
export class PacketIndexBuilder {
  private readonly writer = new ByteWriter();
  private count = 0;
  private lastDts = 0;
  private lastStep = 0;

  constructor(readonly ticksPerSecond: number) {}

  get length(): number {
    return this.count;
  }

  /** @param packet the next one in decode order */
  add({ bytes, key, pts, dts }: Packet): void {
    const step = this.count ? dts - this.lastDts : 0;
    this.writer.unsigned(2 * bytes + Number(key));
    this.writer.signed(this.count ? step - this.lastStep : dts);
    this.writer.signed(pts - dts);
    this.lastDts = dts;
    this.lastStep = step;
    this.count++;
  }

  /** The kept form: version, ticks a second, number of packets, then size with key flag, change of step and offset. */
  done(): Uint8Array {
    const head = new ByteWriter();
    head.unsigned(VERSION);
    head.unsigned(this.ticksPerSecond);
    head.unsigned(this.count);
    const start = head.done();
    const body = this.writer.done();
    const whole = new Uint8Array(start.length + body.length);
    whole.set(start);
    whole.set(body, start.length);
    return whole;
  }
}

/** Every picture packet of a file: size, key flag, and when it is decoded and shown. */
export class PacketIndex {
  private order: Uint32Array | undefined;

  private constructor(
    readonly ticksPerSecond: number,
    /** Bytes of each packet, in decode order. */
    readonly sizes: Uint32Array,
    /** 1 for a key packet. */
    readonly keys: Uint8Array,
    readonly dts: Float64Array,
    readonly pts: Float64Array,
  ) {}

  /** @throws RangeError when the bytes are not an index or are cut off */
  static from(bytes: Uint8Array): PacketIndex {
    const reader = new ByteReader(bytes);
    const version = reader.unsigned();
    if (version !== VERSION) throw new RangeError(`There is no packet index of version ${version}.`);
    const ticksPerSecond = reader.unsigned();
    const count = reader.unsigned();
    if (3 * count > bytes.length) throw new RangeError('The packet index is cut off. Read the source again.');
    const index = new PacketIndex(
      ticksPerSecond,
      new Uint32Array(count),
      new Uint8Array(count),
      new Float64Array(count),
      new Float64Array(count),
    );
    let dts = 0;
    let step = 0;
    for (let at = 0; at < count; at++) {
      const size = reader.unsigned();
      index.sizes[at] = Math.floor(size / 2);
      index.keys[at] = size % 2;
      const change = reader.signed();
      if (at === 0) dts = change;
      else {
        step += change;
        dts += step;
      }
      index.dts[at] = dts;
      index.pts[at] = dts + reader.signed();
    }
    return index;
  }

  get length(): number {
    return this.sizes.length;
  }

  /** Packets in the order in which their pictures are shown, by their place in decode order. */
  get shownOrder(): Uint32Array {
    this.order ??= Uint32Array.from(this.sizes, (_, at) => at).sort((a, b) => this.pts[a]! - this.pts[b]!);
    return this.order;
  }

  /** Seconds of a picture's time stamp from that of the first picture shown. */
  secondsOf(at: number): number {
    const first = this.shownOrder[0] ?? 0;
    return (this.pts[at]! - this.pts[first]!) / this.ticksPerSecond;
  }

  /**
   * How many frames must be decoded to show one from a cold start: those from the last key frame that is shown no
   * later, in decode order. This is the price of a cut to that frame.
   * @param frame by the order in which frames are shown, from 0
   */
  decodeDistance(frame: number): number {
    const at = this.shownOrder[frame];
    if (at === undefined) throw new RangeError(`There is no frame ${frame} among ${this.length}.`);
    return at - this.entryOf(at) + 1;
  }

  /** The decode distance of every frame, in the order in which they are shown. */
  decodeDistances(): Uint32Array {
    return Uint32Array.from(this.shownOrder, (at) => at - this.entryOf(at) + 1);
  }

  // Pictures that stand after a key packet in the file but are shown before it refer to the group before it.
  private entryOf(at: number): number {
    let entry = at;
    while (entry > 0 && !(this.keys[entry] && this.pts[entry]! <= this.pts[at]!)) entry--;
    return entry;
  }
}
