import { round, type Rational } from './rational.js';

/**
 * Hours, minutes, seconds and frames as SMPTE ST 12-1 counts them. Drop-frame skips the first two frame numbers
 * (four at 60000/1001) of every minute that is not a multiple of ten; it drops numbers, never pictures.
 */
export interface TimecodeFormat {
  /** Frames counted in one second of timecode: the rate rounded to an integer. */
  readonly framesPerSecond: number;
  readonly dropFrame: boolean;
}

/**
 * The usual counting for a rate: drop-frame for 30000/1001 and 60000/1001, plain for all others.
 * @param rate frames per second, at least 1/2
 */
export function timecodeFormatOf(rate: Rational, dropFrame?: boolean): TimecodeFormat {
  const framesPerSecond = round(rate);
  if (framesPerSecond < 1) throw new RangeError('Timecode needs a rate of at least half a frame a second.');
  const canDrop = rate.den === 1001 && framesPerSecond % 30 === 0;
  if (dropFrame && !canDrop) {
    throw new RangeError(
      'Drop-frame timecode exists only for 30000/1001 and 60000/1001 and their multiples.',
    );
  }
  return { framesPerSecond, dropFrame: dropFrame ?? canDrop };
}

/**
 * How the timecode of a timeline counts.
 * @param dropFrame what the timeline says, if it says anything; a rate that cannot drop never does
 */
export function timecodeOf({
  rate,
  dropFrame,
}: {
  readonly rate: Rational;
  readonly dropFrame?: boolean | undefined;
}): TimecodeFormat {
  const usual = timecodeFormatOf(rate);
  return { ...usual, dropFrame: usual.dropFrame && dropFrame !== false };
}

const droppedPerMinute = (format: TimecodeFormat): number =>
  format.dropFrame ? (format.framesPerSecond / 30) * 2 : 0;

function framesPerTenMinutes(format: TimecodeFormat): number {
  return format.framesPerSecond * 600 - droppedPerMinute(format) * 9;
}

const two = (value: number): string => String(value).padStart(2, '0');

/**
 * @param frame frame number from 0; it wraps after 24 hours
 * @returns "01:00:00:00", or "01:00:00;00" with drop-frame
 */
export function formatTimecode(frame: number, format: TimecodeFormat): string {
  if (!Number.isInteger(frame)) throw new RangeError(`A frame number is an integer, but got ${frame}.`);
  const perDay = framesPerTenMinutes(format) * 144;
  let count = ((frame % perDay) + perDay) % perDay;
  if (format.dropFrame) {
    const dropped = droppedPerMinute(format);
    const tens = Math.floor(count / framesPerTenMinutes(format));
    const rest = count % framesPerTenMinutes(format);
    const firstMinute = format.framesPerSecond * 60;
    const minutes = rest < firstMinute ? 0 : 1 + Math.floor((rest - firstMinute) / (firstMinute - dropped));
    count += dropped * (9 * tens + minutes);
  }
  const frames = count % format.framesPerSecond;
  const seconds = Math.floor(count / format.framesPerSecond);
  const fields = [Math.floor(seconds / 3600), Math.floor(seconds / 60) % 60, seconds % 60].map(two).join(':');
  const digits = String(format.framesPerSecond - 1).length;
  return `${fields}${format.dropFrame ? ';' : ':'}${String(frames).padStart(Math.max(2, digits), '0')}`;
}

/**
 * @param text "hh:mm:ss:ff" or, with drop-frame, "hh:mm:ss;ff"
 * @returns frame number from 0
 * @throws RangeError with the fault: not timecode, a field too large, or a number that drop-frame skips
 */
export function parseTimecode(text: string, format: TimecodeFormat): number {
  const match = /^(\d{2}):(\d{2}):(\d{2})[:;.](\d{2,3})$/.exec(text.trim());
  if (!match) throw new RangeError(`"${text}" is not timecode; write hh:mm:ss:ff.`);
  const [hours, minutes, seconds, frames] = match.slice(1).map(Number) as [number, number, number, number];
  if (hours > 23 || minutes > 59 || seconds > 59 || frames >= format.framesPerSecond) {
    throw new RangeError(
      `"${text}" has a field that is too large: at most 23:59:59:${format.framesPerSecond - 1}.`,
    );
  }
  const dropped = droppedPerMinute(format);
  if (dropped && seconds === 0 && frames < dropped && minutes % 10 !== 0) {
    throw new RangeError(
      `"${text}" does not exist in drop-frame timecode; the minute begins at frame ${dropped}.`,
    );
  }
  const totalMinutes = hours * 60 + minutes;
  return (
    (totalMinutes * 60 + seconds) * format.framesPerSecond +
    frames -
    dropped * (totalMinutes - Math.floor(totalMinutes / 10))
  );
}
