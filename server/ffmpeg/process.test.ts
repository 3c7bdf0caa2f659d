import { mkdtemp, readFile, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { CancelledError, MissingToolError, runFedFfmpeg, runTool, ToolError } from './process.js';

const node = (code: string, options: Parameters<typeof runTool>[2] = {}) =>
  runTool(process.execPath, ['-e', code], options);

describe('running a tool', () => {
  it('gives what it wrote, and says what it wrote last when it fails', async () => {
    const { output, errors } = await node(`console.log('one\\ntwo'); console.error('by the way');`);
    expect(output).toBe('one\ntwo');
    expect(errors).toBe('by the way');
    const failed = node(`console.error('first'); console.error('No such thing'); process.exit(3)`);
    await expect(failed).rejects.toThrow('first No such thing');
    await expect(node('process.exit(3)')).rejects.toThrow(/ended by code 3/);
    await expect(node(`process.kill(process.pid, 'SIGTERM')`)).rejects.toThrow(/the signal SIGTERM/);
  });

  it('tells a program that is not there from one that fails', async () => {
    await expect(runTool('/nowhere/ffmpeg', [])).rejects.toThrow(MissingToolError);
    await expect(node('throw new Error()')).rejects.not.toThrow(MissingToolError);
  });

  it('is ended when it is cancelled, before and while it runs', async () => {
    await expect(node('', { signal: AbortSignal.abort() })).rejects.toThrow(CancelledError);
    const signal = AbortSignal.timeout(100);
    await expect(node('setInterval(() => {}, 1000)', { signal })).rejects.toThrow(CancelledError);
  });

  it('is ended when it stands still', async () => {
    const waiting = node('setInterval(() => {}, 60000)', { stallMs: 400 });
    await expect(waiting).rejects.toThrow(ToolError);
    await expect(waiting).rejects.toThrow(/did nothing for 0.4 s/);
  });

  it.runIf(process.platform === 'linux')(
    'is left alone while it works in silence, but not for ever',
    async () => {
      const spin = (ms: number): string => `const end = Date.now() + ${ms}; while (Date.now() < end);`;
      const { output } = await node(`${spin(1500)} console.log('done')`, { stallMs: 600 });
      expect(output).toBe('done');
      await expect(node(spin(30_000), { stallMs: 300 })).rejects.toThrow(/did nothing for 0.3 s/);
    },
  );
});

/** Stands in for ffmpeg: writes so many bytes, fails, or counts what it reads into a file. */
const STAND_IN = `#!/usr/bin/env node
const args = process.argv.slice(2);
const after = (word) => args[args.indexOf(word) + 1];
if (args.includes('write')) process.stdout.write(Buffer.alloc(Number(after('write'))));
else if (args.includes('fail')) {
  console.error(after('fail'));
  process.exit(3);
} else {
  let count = 0;
  process.stdin.on('data', (chunk) => (count += chunk.length));
  process.stdin.on('end', () => {
    require('node:fs').writeFileSync(after('count'), String(count));
    console.log('frame=7');
  });
}
`;

describe('running ffmpeg on what other runs of it write', () => {
  let folder: string;
  let program: string;

  beforeAll(async () => {
    folder = await mkdtemp(join(tmpdir(), 'hone-fed-'));
    program = join(folder, 'stand-in.cjs');
    await writeFile(program, STAND_IN, { mode: 0o700 });
  });

  afterAll(() => rm(folder, { recursive: true, force: true }));

  const fed = (renders: string[][], args: string[], signal?: AbortSignal): Promise<void> =>
    runFedFfmpeg(program, renders, args, { signal });

  it('passes all of it on, in order, and no faster than it is read', async () => {
    const path = join(folder, 'count');
    const frames: number[] = [];
    const writes = ['5000000', '0', '3000001'].map((bytes) => ['write', bytes]);
    await runFedFfmpeg(program, writes, ['count', path], { onFrame: (frame) => frames.push(frame) });
    expect(await readFile(path, 'utf8')).toBe('8000001');
    expect(frames).toEqual([7]);
  });

  it('says why a render failed, or why the reader did', async () => {
    const renders = [
      ['write', '100000'],
      ['fail', 'No such camera'],
    ];
    await expect(fed(renders, ['count', join(folder, 'broken')])).rejects.toThrow('No such camera');
    await expect(fed([['write', '50000000']], ['fail', 'Disk full'])).rejects.toThrow('Disk full');
  });

  it('ends all of them when it is cancelled', async () => {
    const endless = Array.from({ length: 1000 }, () => ['write', '1000000']);
    const run = fed(endless, ['count', join(folder, 'cancelled')], AbortSignal.timeout(300));
    await expect(run).rejects.toThrow(CancelledError);
  });
});
