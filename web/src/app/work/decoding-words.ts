import type { DecodePath } from '@hone/core/levers';
import { codecName } from '../formatting/codec-words';
import { milliseconds } from '../formatting/quantities';
import type { DecodingRow } from './decoding-rows';

export const HARDWARE_HINT =
  'Look for “hardware acceleration” in the browser’s settings, and for a newer driver.';

export const decodingName = ({ codec, profile, isMade }: DecodingRow): string =>
  isMade ? `${codecName(codec)} of copies and render cache` : `${codecName(codec)} ${profile}`.trimEnd();

/** The path that a row's pictures are decoded by now; undefined where it is left to the browser. */
const pathNow = ({ chosen, automatic, lacking }: DecodingRow): DecodePath | undefined =>
  chosen === 'automatic' || lacking.includes(chosen) ? automatic : chosen;

/** What decodes a row's pictures now, and what was measured. */
export function decodingNote(row: DecodingRow): string {
  if (row.serverOnly !== null) return `by the server, in software: ${row.serverOnly}`;
  const now = pathNow(row);
  if (!now) return 'left to the browser until it was tried';
  const other: DecodePath = now === 'hardware' ? 'software' : 'hardware';
  const { [now]: ms, [other]: otherMs } = row.measured;
  const beside = otherMs === undefined ? '' : `; ${other} takes ${milliseconds(otherMs)}`;
  return `in ${now}${ms === undefined ? '' : `, ${milliseconds(ms)} a picture`}${beside}`;
}

/** Why there is no hardware for any row, and what would change that. */
export const NO_HARDWARE = `No hardware: this browser decodes and draws on the processor alone. ${HARDWARE_HINT}`;

/**
 * Why a path cannot be chosen for one row, and what would change that; null where every path can be, or where NO_HARDWARE
 * says it of all.
 * @param drawsInSoftware whether the browser has no graphics processor either
 */
export function lackingNote(row: DecodingRow, drawsInSoftware: boolean): string | null {
  if (row.serverOnly !== null) return 'The browser decodes light copies of it.';
  if (row.lacking.includes('hardware')) return drawsInSoftware ? null : `No hardware: ${hardwareReason(row)}`;
  return row.lacking.includes('software') ? 'No software: this browser decodes it in hardware only.' : null;
}

function hardwareReason({ chroma, bitDepth }: DecodingRow): string {
  // As the video engines of graphics processors do: 4:2:0 of 8 bits, and of 10 bits for newer codecs.
  if (chroma !== '4:2:0' || bitDepth > 8)
    return `decoders in hardware rarely take ${chroma} of ${bitDepth} bits. Light copies are 4:2:0 of 8 bits.`;
  return `this browser offers no hardware decoder for it. ${HARDWARE_HINT}`;
}
