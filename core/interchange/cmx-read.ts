import {
  formatTimecode,
  parseTimecode,
  rational,
  timecodeFormatOf,
  timeOfFrame,
  toNumber,
  type Rational,
  type TimecodeFormat,
} from '../time/index.js';
import type { TrackKind, TransitionKind } from '../timeline/index.js';
import {
  InterchangeError,
  type ImportedClip,
  type ImportedTimeline,
  type ImportedTrack,
  type ImportedTransition,
} from './imported.js';
import { simplest } from './rates.js';

const MOST_LINES = 400_000;
const TIME = String.raw`(\d{2}:\d{2}:\d{2}[:;.]\d{2,3})`;
const EVENT = new RegExp(
  String.raw`^(\d{1,6})\s+(\S+)\s+(\S+)\s+(C|D|K\s*B?|KO|W\d{3})(?:\s+(\d{1,4}))?\s+${TIME}\s+${TIME}\s+${TIME}\s+${TIME}\s*$`,
  'i',
);
const SPEED = new RegExp(String.raw`^M2\s+(\S+)\s+(-?\d+(?:\.\d+)?)\s+${TIME}`, 'i');

interface Event {
  readonly line: number;
  readonly number: string;
  readonly reel: string;
  readonly channels: string;
  readonly kind: TransitionKind | 'cut';
  readonly frames: number;
  /** Frames of timecode. */
  readonly sourceIn: number;
  readonly recordIn: number;
  readonly recordOut: number;
  speed: Rational;
  name: string;
}

/** Rates at which an edit list can be meant, as the trade uses them. */
const LIST_RATES: readonly Rational[] = [
  rational(24_000, 1001),
  rational(24),
  rational(25),
  rational(30_000, 1001),
  rational(30),
  rational(50),
  rational(60_000, 1001),
  rational(60),
];

/**
 * The rates at which an edit list can be read: those that count as many frames as its timecodes need, and drop numbers
 * where it does. An edit list does not contain its rate, so the user selects it.
 */
export function cmxRates(text: string): Rational[] {
  const fields = [...text.matchAll(/\b\d{2}:\d{2}:\d{2}[:;.](\d{2,3})\b/g)].map(([, frames]) =>
    Number(frames),
  );
  const most = fields.reduce((max, each) => Math.max(max, each), 0);
  const drops = /^FCM:\s*DROP/im.test(text) || /\d{2}:\d{2}:\d{2};\d{2}/.test(text);
  return LIST_RATES.filter((rate) => {
    const usual = timecodeFormatOf(rate);
    return usual.framesPerSecond > most && (!drops || usual.dropFrame);
  });
}

/**
 * Reads a CMX 3600 edit list: cuts, dissolves, wipes, `M2` speeds, drop and non-drop timecode, and notes with the names
 * of clips. An edit list does not say its rate.
 * @throws InterchangeError that names the line when it is damaged
 */
export function readCmx(text: string, rate: Rational): ImportedTimeline {
  const lines = text.split(/\r\n|\r|\n/);
  if (lines.length > MOST_LINES) throw new InterchangeError('the file', 'it has too many lines.');
  const list = new EditList(rate);
  lines.forEach((line, index) => list.take(line, index + 1));
  return list.timeline();
}

class EditList {
  private title = 'Edit list';
  private format: TimecodeFormat;
  /** Whether a line stated how timecode is counted. */
  private isCounted = false;
  private readonly events: Event[] = [];
  private readonly notes = new Set<string>();

  constructor(private readonly rate: Rational) {
    this.format = timecodeFormatOf(rate, false);
  }

  take(line: string, number: number): void {
    const text = line.trim();
    if (!text) return;
    const title = /^TITLE:\s*(.*)$/i.exec(text);
    if (title) this.title = title[1]!.slice(0, 200) || this.title;
    else if (/^FCM:/i.test(text)) this.count(text, number);
    else if (text.startsWith('*')) this.comment(text);
    else if (/^M2\b/i.test(text)) this.speed(text, number);
    else if (/^\d/.test(text)) this.event(text, number);
    // Split edits and sound channels say nothing that the events do not; other programs add headings of their own.
    else if (!/^(>>>|AUD\b|[A-Z][A-Z ]*:)/i.test(text))
      this.notes.add(`Line ${number} is not understood and was left out: "${text.slice(0, 60)}".`);
  }

  private count(text: string, line: number): void {
    const drops = /DROP/i.test(text) && !/NON/i.test(text);
    this.isCounted = true;
    try {
      this.format = timecodeFormatOf(this.rate, drops);
    } catch {
      throw new InterchangeError(
        `line ${line}`,
        'the list counts in drop-frame timecode, which this rate does not have. Choose 29.97 or 59.94 frames/s for it.',
      );
    }
  }

  private comment(text: string): void {
    const from = /^\*\s*(?:FROM|KEY)\s+CLIP(?:\s+NAME)?\s*:\s*(.+)$/i.exec(text);
    const to = /^\*\s*TO\s+CLIP(?:\s+NAME)?\s*:\s*(.+)$/i.exec(text);
    const last = this.events.at(-1);
    if (!last) return;
    if (to) last.name = to[1]!.trim();
    else if (from) {
      const before = this.events.at(-2);
      // Of the two lines of a dissolve, the first is what goes.
      if (last.kind !== 'cut' && before?.number === last.number) before.name ||= from[1]!.trim();
      else last.name ||= from[1]!.trim();
    }
  }

  private speed(text: string, line: number): void {
    const match = SPEED.exec(text);
    if (!match)
      throw new InterchangeError(
        `line ${line}`,
        'the speed is not written as "M2 reel frames-a-second timecode".',
      );
    const [, reel, value] = match;
    const event = [...this.events].reverse().find((each) => each.reel === reel) ?? this.events.at(-1);
    if (!event) throw new InterchangeError(`line ${line}`, 'a speed stands before the first event.');
    // The value has two decimals: at 29.97 it cannot say 30000/1001.
    const speed = simplest(Number(value) / toNumber(this.rate), 0.0051 / toNumber(this.rate));
    const size = Math.abs(speed.num / speed.den);
    if (size >= 0.01 && size <= 10) event.speed = speed;
    else this.notes.add(`Line ${line} asks for a speed outside 1 % to 1000 %; the clip plays at 100 %.`);
  }

  private event(text: string, line: number): void {
    const match = EVENT.exec(text);
    if (!match) {
      throw new InterchangeError(
        `line ${line}`,
        `an event was expected: number, reel, channels, kind and four timecodes, but there is "${text.slice(0, 80)}".`,
      );
    }
    const [, number, reel, channels, kind, frames, ...times] = [...match];
    // Where no line says it, the semicolon does.
    if (!this.isCounted)
      this.count(times.some((time) => time.includes(';')) ? 'DROP FRAME' : 'NON-DROP FRAME', line);
    const [sourceIn, , recordIn, recordOut] = times.map((time) => this.frameOf(time, line)) as [
      number,
      number,
      number,
      number,
    ];
    if (recordOut < recordIn) throw new InterchangeError(`line ${line}`, 'the event ends before it begins.');
    const type = kind!.toUpperCase();
    if (type.startsWith('K')) this.notes.add(`Line ${line} is a key, which became a cut.`);
    this.events.push({
      line,
      number: number!,
      reel: reel!,
      channels: channels!.toUpperCase(),
      kind: type.startsWith('D') ? 'crossfade' : type.startsWith('W') ? 'wipe' : 'cut',
      frames: Number(frames ?? 0),
      sourceIn,
      recordIn,
      recordOut,
      speed: rational(1),
      name: '',
    });
  }

  private frameOf(time: string, line: number): number {
    try {
      return parseTimecode(time, this.format);
    } catch (error) {
      throw new InterchangeError(`line ${line}`, error instanceof Error ? error.message : String(error));
    }
  }

  timeline(): ImportedTimeline {
    const shown = this.events.filter(({ recordIn, recordOut }) => recordOut > recordIn);
    const startFrame = shown.length ? Math.min(...shown.map(({ recordIn }) => recordIn)) : 0;
    const tracks = [
      this.track('picture', 'Picture', startFrame, (channels) => /V|B/.test(channels)),
      this.track('sound', 'Sound 1', startFrame, (channels) =>
        /^(A|AA|B|A1|A\/V|AA\/V|A1\/V)$/.test(channels),
      ),
      this.track('sound', 'Sound 2', startFrame, (channels) => /^(A2|A2\/V)$/.test(channels)),
    ].filter(({ kind, clips }, index) => clips.length > 0 || (index < 2 && kind === 'picture'));
    return {
      name: this.title,
      rate: this.rate,
      startFrame,
      dropFrame: this.format.dropFrame,
      size: null,
      tracks,
      markers: [],
      notes: [...this.notes],
    };
  }

  private track(
    kind: TrackKind,
    name: string,
    startFrame: number,
    takes: (channels: string) => boolean,
  ): ImportedTrack {
    const clips: ImportedClip[] = [];
    const transitions: ImportedTransition[] = [];
    const events = this.events
      .filter(({ channels, recordIn, recordOut }) => takes(channels) && recordOut > recordIn)
      .sort((a, b) => a.recordIn - b.recordIn);
    let end = 0;
    for (const event of events) {
      const start = event.recordIn - startFrame;
      if (event.reel.toUpperCase() === 'BL') continue;
      if (start < end) {
        const at = formatTimecode(event.recordIn, this.format);
        throw new InterchangeError(
          `line ${event.line}`,
          `the event begins at ${at}, before the one ahead of it has ended.`,
        );
      }
      const length = event.recordOut - event.recordIn;
      const clipName = event.name || event.reel;
      clips.push({
        name: clipName.slice(0, 500),
        start,
        length,
        sourceIn: timeOfFrame(event.sourceIn, this.rate),
        speed: event.speed,
        enabled: true,
        media: { name: clipName, target: '', startSeconds: null, lengthSeconds: null },
      });
      if (kind === 'picture' && event.kind !== 'cut' && start === end && clips.length > 1)
        transitions.push({ kind: event.kind, at: start, before: 0, after: Math.min(event.frames, length) });
      end = start + length;
    }
    return { kind, name, enabled: true, clips, transitions };
  }
}
