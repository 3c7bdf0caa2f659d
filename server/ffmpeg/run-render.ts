import { writeFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { RenderAssets, RenderCommand } from '@hone/core/render';
import { fileArgument, runFedFfmpeg, runFfmpeg, type ToolOptions } from './process.js';

/** Longest filter graph that is handed over as an argument: Linux takes 128 KiB (execve(2), MAX_ARG_STRLEN). */
const LONGEST_ARGUMENT = 100_000;

export interface RenderRun extends Pick<ToolOptions, 'signal'> {
  readonly ffmpeg: string;
  readonly assets: Pick<RenderAssets, 'drawingFile'>;
  /** Folder for files that are needed meanwhile. */
  readonly folder: string;
  /** Called with the number of frames written so far. */
  readonly onFrame?: (frame: number) => void;
}

/** Runs the programs of a render command. @param path of the file that is written */
export async function runRender(command: RenderCommand, path: string, run: RenderRun): Promise<void> {
  const { ffmpeg, assets, folder, ...options } = run;
  for (const [number, svg] of command.drawings.entries()) await writeFile(assets.drawingFile(number), svg);
  const [encoder, ...renders] = await Promise.all(
    [[...command.args, fileArgument(path)], ...command.renders].map((args, number) =>
      withGraphFile(args, join(folder, `graph-${number}.txt`)),
    ),
  );
  const quiet = ['-v', 'error', ...encoder!];
  if (renders.length) await runFedFfmpeg(ffmpeg, renders, quiet, options);
  else await runFfmpeg(ffmpeg, quiet, options);
}

/** Arguments with a long filter graph in a file. */
async function withGraphFile(args: readonly string[], path: string): Promise<readonly string[]> {
  const at = args.indexOf('-filter_complex');
  const graph = args[at + 1] ?? '';
  if (at < 0 || graph.length <= LONGEST_ARGUMENT) return args;
  await writeFile(path, graph);
  return [...args.slice(0, at), '-filter_complex_script', path, ...args.slice(at + 2)];
}
