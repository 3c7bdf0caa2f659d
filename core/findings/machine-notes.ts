import { isDisturbed } from '../playback/index.js';
import { emptyCause, type Cause, type Scene } from './cause.js';

/** Others that keep so much of all cores busy are worth a word. */
const MUCH_LOAD = 0.25;
/** A drive with less than this part free is nearly full. */
const NEARLY_FULL = 0.1;

/** What the rig itself says against it: hardware that is not used, others that work, drives that fill up. */
export function machineNotes({ situation, prediction, planned, measured }: Scene): Cause[] {
  const { rig, drive } = situation;
  const notes: Cause[] = [];
  const { graphics, machine } = rig;
  if (graphics.stronger)
    notes.push({ ...emptyCause('weaker graphics', 'show'), names: [graphics.renderer, graphics.stronger] });
  // What a run was disturbed by is said of the run.
  if (machine.loadByOthers > MUCH_LOAD && !(measured && isDisturbed(measured.facts)))
    notes.push({ ...emptyCause('other programs'), numbers: { loadPercent: 100 * machine.loadByOthers } });
  notes.push(...hardwareNotes({ situation, prediction }));
  const used = new Set([...prediction.work.media.values()].map((medium) => medium.drive));
  const full = rig.drives.find(
    (each) => used.has(each.drive) && each.bytes > 0 && each.freeBytes < NEARLY_FULL * each.bytes,
  );
  if (full && !drive)
    notes.push({
      ...emptyCause('drive', 'read'),
      numbers: {
        freePercent: (100 * full.freeBytes) / full.bytes,
        driveBytesPerSecond: full.readBytesPerSecond?.value ?? 0,
      },
      names: [full.drive],
    });
  if (planned && planned.bytes > planned.freeBytes)
    notes.push({
      ...emptyCause('space'),
      numbers: { plannedBytes: planned.bytes, freeBytes: planned.freeBytes },
    });
  return notes;
}

/** Decoding that hardware could take over, or that it was asked for and cannot take. */
function hardwareNotes({ situation: { rig }, prediction }: Pick<Scene, 'situation' | 'prediction'>): Cause[] {
  const notes: Cause[] = [];
  const played = [...prediction.work.media.values()].filter(({ choice }) => choice === 'original');
  for (const codec of new Set(played.map((medium) => medium.codec))) {
    const rows = rig.decoders.filter((each) => each.decoder === 'browser' && each.codec === codec);
    if (rows.length === 0 || rows.some(({ acceleration }) => acceleration === 'hardware')) continue;
    // One that was tried and does not work is no finding: nothing can be done about it here.
    const path = rig.hardwarePaths.find(
      (each) => each.use === 'decode' && each.works && (each.codec === codec || each.codec === ''),
    );
    if (!path) continue;
    notes.push({
      ...emptyCause('hardware decoding', 'decode'),
      names: [codec, path.name],
    });
  }
  return notes;
}
