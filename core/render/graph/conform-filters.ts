import { deinterlacing, type SourceFacts } from '../../media/index.js';
import { formatRational, subtract, toNumber, type Rational } from '../../time/index.js';

const gcd = (a: number, b: number): number => (b === 0 ? a : gcd(b, a % b));
const lcm = (a: number, b: number): number => (a / gcd(a, b)) * b;

/**
 * Picks `frames` frames of a source at the timeline's rate, beginning at a source time.
 * @param time seconds from the first frame of the source
 * @param speed source seconds for each second of the timeline, above zero
 */
export function conformFilters(
  facts: SourceFacts,
  time: Rational,
  rate: Rational,
  frames: number,
  speed: Rational = { num: 1, den: 1 },
): string {
  const picture = facts.picture!;
  const zero = subtract(time, { num: -facts.pictureStart.num, den: facts.pictureStart.den });
  const perFrame = picture.constantRate ? picture.rate.num : 1;
  const exact = lcm(lcm(picture.timescale, perFrame), zero.den) * speed.num;
  // Clocks of odd files can ask for more ticks than a filter's time base holds; microseconds are then near enough.
  const ticks = 2 * (Number.isSafeInteger(exact) && exact < 2 ** 30 ? exact : 1_000_000);
  const start = Math.round((zero.num / zero.den) * ticks);
  // Stamps of a constant rate are put back on their grid: files that count in thousandths have rounded them.
  const stamp = picture.constantRate
    ? `round((PTS*TB-${toNumber(facts.pictureStart)})*${formatRational(picture.rate)})*` +
      `${(ticks * picture.rate.den) / picture.rate.num}+${Math.round(toNumber(facts.pictureStart) * ticks)}`
    : 'PTS';
  const since = `(PTS+if(isnan(PREV_INPTS),PTS,PREV_INPTS))/2-${start}`;
  const middle = speed.num === speed.den ? since : `(${since})*${speed.den}/${speed.num}`;
  // What lies before the first frame shows the first frame.
  const early = time.num < 0 ? ':start_time=0' : '';
  return (
    `${deinterlacing(picture.scan)}settb=1/${ticks},setpts='${stamp}',setpts='${middle}',` +
    `fps=${formatRational(rate)}:round=up${early},tpad=stop=-1:stop_mode=clone,trim=start_pts=0,setpts=PTS-STARTPTS,` +
    `trim=end_frame=${frames}`
  );
}
