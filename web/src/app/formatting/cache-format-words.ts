import {
  automaticFormats,
  chosenCacheFormat,
  LIKE_LIVE_DB,
  type CacheFormatCosts,
  type CodedPictures,
} from '@hone/core/cost-model';
import type { Rig } from '@hone/core/machine';
import { CACHE_FORMAT_CHOICES, cacheFormat, type CacheFormatChoice } from '@hone/core/media';
import { bytes, framesPerSecond, milliseconds, rounded } from './quantities';

/** A way to code cached stretches, as it is offered. */
export interface OfferedFormat {
  readonly choice: CacheFormatChoice;
  readonly name: string;
  /** What it takes, or why it is not known; one sentence without its end. */
  readonly text: string;
  /** Why it cannot be chosen; null where it can. */
  readonly problem: string | null;
}

const UNTRIED = 'not tried yet: measure this machine on the page Rig';

/**
 * The ways to code cached stretches, with what each takes on this machine.
 * @param rig null before it was measured
 */
export function offeredFormats(rig: Rig | null, pictures: CodedPictures): OfferedFormat[] {
  return CACHE_FORMAT_CHOICES.map((choice): OfferedFormat => {
    if (choice === 'automatic' || choice === 'automatic-lossless') return automaticOf(rig, choice, pictures);
    const offered = { choice, name: cacheFormat(choice).label };
    const found = rig && automaticFormats(rig, pictures).find(({ id }) => id === choice);
    if (!rig || !found || found.lack === 'untried') return { ...offered, text: UNTRIED, problem: null };
    if (!found.costs) {
      const reason = rig.cacheFormats?.find(({ format }) => format === choice)?.reason ?? '';
      return { ...offered, text: '', problem: `ffmpeg does not write it here: ${reason}` };
    }
    const { likeness } = found.costs.figures;
    const lacks = {
      drive: ', more than half of what its drive reads',
      unlike: `, below the ${LIKE_LIVE_DB} dB that Automatic asks for`,
    };
    const lack = found.lack === 'drive' || found.lack === 'unlike' ? lacks[found.lack] : '';
    const like = likeness === null ? 'lossless' : `${likeness.toFixed(1)} dB like live`;
    return { ...offered, text: `${costsText(found.costs, pictures)}, ${like}${lack}`, problem: null };
  });
}

function automaticOf(
  rig: Rig | null,
  choice: 'automatic' | 'automatic-lossless',
  pictures: CodedPictures,
): OfferedFormat {
  const isLossless = choice === 'automatic-lossless';
  const { label } = chosenCacheFormat(rig ?? undefined, choice, pictures);
  const among = isLossless
    ? 'the smallest of the quickest without loss'
    : `the smallest of the quickest that are ${LIKE_LIVE_DB} dB or more like live`;
  const isKnown = rig?.cacheFormats?.length;
  return {
    choice,
    name: isLossless ? 'Automatic, lossless' : 'Automatic',
    text: isKnown ? `now ${label}, ${among}` : `${label}, until this machine is measured on the page Rig`,
    problem: null,
  };
}

const costsText = (
  { bytes: picture, writeMs, readMs, decodeMs }: CacheFormatCosts,
  { framesPerSecond: rate }: CodedPictures,
): string =>
  [
    `written at ${framesPerSecond(1000 / writeMs)}`,
    `read and decoded in ${milliseconds(Number(rounded(readMs + decodeMs)))}`,
    `${bytes(60 * rate * picture)} a minute`,
  ].join(', ');
