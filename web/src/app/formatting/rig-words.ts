import { assumedVariability, speedVariabilityOf, type Calibration } from '@hone/core/cost-model';
import type { DecodeFigures, Figure, Rig } from '@hone/core/machine';
import { cacheFormat } from '@hone/core/media';
import { STAGE_NAMES } from './stage-words';
import { codecName } from './codec-words';
import { bytes, framesPerSecond, milliseconds, perCent, pixels } from './quantities';

/** One row of the table of figures. */
export interface FigureRow {
  readonly stage: string;
  readonly what: string;
  readonly value: string;
  readonly spread: string;
  readonly method: string;
  readonly date: string;
  /** Why the figure is not to be trusted fully, or why there is none. */
  readonly remark: string;
  /** Whether other programs loaded the machine while it was measured. */
  readonly isDisturbed: boolean;
}

type Unit = (value: number) => string;

const perSecond: Unit = (value) => `${bytes(value)}/s`;
const perMegapixel: Unit = (value) => `${milliseconds(value)} a megapixel`;
const msAFrame: Unit = (value) => `${milliseconds(value)} a frame`;

const dateText = (iso: string): string =>
  new Date(iso).toLocaleString('en-GB', {
    day: 'numeric',
    month: 'short',
    hour: '2-digit',
    minute: '2-digit',
  });

function rowOf(stage: string, what: string, figure: Figure | null, unit: Unit, remark = ''): FigureRow {
  if (!figure)
    return {
      ...{ stage, what, value: '–', spread: '', method: '', date: '' },
      remark: remark || 'not measured',
      isDisturbed: false,
    };
  const spread =
    figure.times > 1 ? `${unit(figure.low)} to ${unit(figure.high)}, ${figure.times} times` : 'once';
  const disturbed = figure.disturbed ? 'other programs loaded the machine' : '';
  return {
    ...{
      stage,
      what,
      value: unit(figure.value),
      spread,
      method: figure.method,
      date: dateText(figure.measuredAt),
    },
    remark: [disturbed, remark].filter(Boolean).join('; '),
    isDisturbed: figure.disturbed,
  };
}

const decoderName = ({ decoder, codec, profile, chroma, bitDepth, width, height }: DecodeFigures): string =>
  `${codecName(codec)}${profile ? ` ${profile}` : ''} ${chroma} ${bitDepth} bits, ${pixels({ width, height })}, by the ${decoder}`;

function delaysOf({ startMs, restartMs, bitShare }: DecodeFigures): string[] {
  return [
    startMs ? `first picture after ${milliseconds(startMs.value)}` : '',
    restartMs ? `after a jump ${milliseconds(restartMs.value)}` : '',
    bitShare === undefined ? '' : `${perCent(bitShare)} scales with bit rate`,
  ];
}

/** All figures of a rig, in the order of the stages. */
export function figureRows(rig: Rig): FigureRow[] {
  const drives = rig.drives.flatMap((drive) => {
    const name = `${drive.drive} (${drive.kind}${drive.fileSystem ? `, ${drive.fileSystem}` : ''})`;
    const remark = drive.problem ?? '';
    return [
      rowOf('Read', `${name}, one stream`, drive.readBytesPerSecond, perSecond, remark),
      rowOf('Read', `${name}, four streams`, drive.readManyBytesPerSecond, perSecond, remark),
      rowOf('Read', `${name}, anywhere at once`, drive.randomReadMs, milliseconds, remark),
      rowOf(
        'Write',
        name,
        drive.writeBytesPerSecond,
        perSecond,
        drive.writeBytesPerSecond ? remark : 'Hone writes nothing there',
      ),
    ];
  });
  const decoders = rig.decoders.map((figures) => {
    const together = figures.together.map(
      ({ decoders: count, framesPerSecond: rate }) => `${count} at once ${framesPerSecond(rate)}`,
    );
    const how = figures.msPerFrame && figures.acceleration !== 'unknown' ? `in ${figures.acceleration}` : '';
    const remark = [how, ...together, ...delaysOf(figures), figures.problem ?? ''].filter(Boolean).join('; ');
    return rowOf('Decode', decoderName(figures), figures.msPerFrame, msAFrame, remark);
  });
  const kernels = rig.kernels.map(({ stage, kernel, on, msPerMegapixel, of }) =>
    rowOf(STAGE_NAMES[stage], `${kernel}, on the ${on}`, msPerMegapixel, perMegapixel, `of the ${of}`),
  );
  const shows = rig.shows.flatMap(({ width, height, ms, presentMs, on = 'processor' }) => [
    rowOf('Show', `${pixels({ width, height })}, composed on the ${on}`, ms, milliseconds),
    ...(presentMs
      ? [rowOf('Show', `${pixels({ width, height })}, by the browser beside it`, presentMs, milliseconds)]
      : []),
  ]);
  const cores = [
    rowOf('Cores', 'ffmpeg decodes the heaviest source, one thread', rig.oneCoreFps, framesPerSecond),
    rowOf('Cores', 'ffmpeg decodes the heaviest source, all cores', rig.allCoresFps, framesPerSecond),
  ];
  const formats = (rig.cacheFormats ?? []).map(
    ({ format, framesPerSecond: rate, frameBytes, likeness, reason }) => {
      const like = likeness === null ? 'lossless' : `${likeness.toFixed(1)} dB like the original`;
      const remark = rate ? `${bytes(Math.round(frameBytes))} a frame; ${like}` : reason;
      return rowOf(
        'Encode',
        `${cacheFormat(format).label}, for the render cache`,
        rate ?? null,
        framesPerSecond,
        remark,
      );
    },
  );
  const rows = [...drives, ...decoders, ...kernels, ...shows, ...cores, ...formats];
  // What was given has no measurement to tell of.
  return rig.thoroughness === 'given' ? rows.map((row) => ({ ...row, spread: '', date: '' })) : rows;
}

/** The machine in a few lines. */
export function machineLines(rig: Rig): (readonly [string, string])[] {
  const { machine, graphics, drives, browser, calibration } = rig;
  const heat = machine.temperatureC === null ? '' : `, ${Math.round(machine.temperatureC)} °C`;
  const clock = machine.clockMhz === null ? '' : `, ${(machine.clockMhz / 1000).toFixed(1)} GHz now`;
  const power = { mains: 'on mains', battery: 'on battery', unknown: 'the system does not tell' }[
    machine.power
  ];
  const lines: (readonly [string, string])[] = [
    ['Processor', `${machine.model}, ${machine.cores} cores${clock}${heat}`],
    ['Memory', `${bytes(machine.memoryBytes)}, ${bytes(machine.freeMemoryBytes)} of it free`],
    ['Power', power],
    [
      'Background load',
      `${Math.round(100 * machine.loadByOthers)} % of the cores when the measurement began`,
    ],
    [
      'Graphics',
      `${graphics.renderer || 'not known'}${graphics.software ? ': draws on the processor, so it counts as no acceleration' : ''}`,
    ],
    [
      'Stronger graphics',
      graphics.stronger
        ? `${graphics.stronger}: the browser does not use it`
        : 'none that the browser leaves unused',
    ],
    ['Display', graphics.displayHz === null ? 'not measured' : `${graphics.displayHz} pictures a second`],
  ];
  for (const { drive, freeBytes, bytes: all, holds } of drives) {
    const used = all > 0 ? Math.round(100 * (1 - freeBytes / all)) : 0;
    lines.push([
      `Drive ${drive}`,
      `${bytes(freeBytes)} free of ${bytes(all)} (${used} % full); ${holds.join(', ')}`,
    ]);
  }
  if (browser && browser !== 'given') lines.push(['Browser', browser]);
  if (calibration) lines.push(['Steadiness', steadiness(calibration, rig)]);
  return lines;
}

/** Spread of costs, as runs have shown it, or as assumed before the first run. */
function steadiness({ unsteadiness: shown }: Calibration, rig: Rig): string {
  const known = assumedVariability(shown, rig);
  if (!known) return 'not known yet: the runs so far were too short';
  const seconds = `${perCent(speedVariabilityOf(known))} more or less from second to second`;
  const runs = `${perCent(Math.sqrt(known.ofRuns))} from run to run`;
  return shown
    ? `a picture takes ${seconds} and ${runs}, as runs have shown`
    : `not known yet: predictions assume ${seconds} and ${runs} until longer runs show it`;
}
