import { describe, expect, it } from 'vitest';
import { CancelledError, MissingToolError, runTool, ToolError } from './process.js';

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
