import { isDisturbed } from '../playback/index.js';
import type { Rig } from '../machine/index.js';
import type { Prediction } from '../simulation/index.js';
import type { FindingContext } from './context.js';
import { findingOf, type Finding } from './finding.js';

/** Others that keep so much of all cores busy are worth a word. */
const MUCH_LOAD = 0.25;
/** A drive with less than this part free is nearly full. */
const NEARLY_FULL = 0.1;

/** Findings of the machine: unused hardware, background load, full drives. */
export function machineFindings({ situation, prediction, planned, run }: FindingContext): Finding[] {
  const { rig, drive } = situation;
  const found: Finding[] = [];
  const { graphics, machine } = rig;
  const { renderer, stronger } = graphics;
  if (stronger) found.push(findingOf('weaker-graphics', { renderer, stronger }, { stage: 'show' }));
  // A run that was disturbed has a finding of its own.
  if (machine.loadByOthers > MUCH_LOAD && !(run && isDisturbed(run.facts)))
    found.push(findingOf('background-load', { loadPercent: 100 * machine.loadByOthers, isOfRun: false }));
  found.push(...hardwareFindings(rig, prediction));
  const used = new Set([...prediction.work.media.values()].map((medium) => medium.drive));
  const full = rig.drives.find(
    (each) => used.has(each.drive) && each.bytes > 0 && each.freeBytes < NEARLY_FULL * each.bytes,
  );
  if (full && !drive) {
    const freePercent = (100 * full.freeBytes) / full.bytes;
    found.push(findingOf('full-drive', { drive: full.drive, freePercent }, { stage: 'read' }));
  }
  if (planned && planned.bytes > planned.freeBytes)
    found.push(findingOf('storage-space', { plannedBytes: planned.bytes, freeBytes: planned.freeBytes }));
  return found;
}

/** Decoding that hardware could take over. */
function hardwareFindings(rig: Rig, prediction: Prediction): Finding[] {
  const played = [...prediction.work.media.values()].filter(({ choice }) => choice === 'original');
  return [...new Set(played.map((medium) => medium.codec))].flatMap((codec): Finding[] => {
    const rows = rig.decoders.filter((each) => each.decoder === 'browser' && each.codec === codec);
    if (rows.length === 0 || rows.some(({ acceleration }) => acceleration === 'hardware')) return [];
    // Hardware that was tried and does not work is no finding: nothing can be done about it here.
    const path = rig.hardwarePaths.find(
      (each) => each.use === 'decode' && each.works && (each.codec === codec || each.codec === ''),
    );
    return path ? [findingOf('hardware-decoding', { codec, path: path.name }, { stage: 'decode' })] : [];
  });
}
