import { mkdir, mkdtemp, rm, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, it } from 'vitest';
import { graphicsBusyShare } from './system.js';

describe('the load of the graphics processor', () => {
  let folder: string;
  const card = async (name: string, percent: string): Promise<void> => {
    await mkdir(join(folder, name, 'device'), { recursive: true });
    await writeFile(join(folder, name, 'device', 'gpu_busy_percent'), `${percent}\n`);
  };

  beforeEach(async () => {
    folder = await mkdtemp(join(tmpdir(), 'hone-drm-'));
  });

  afterEach(() => rm(folder, { recursive: true }));

  it('is that of the busiest card, and never that of an output of one', async () => {
    await card('card0', '7');
    await card('card1', '62');
    await card('card1-HDMI-A-1', '99');
    expect(await graphicsBusyShare(folder)).toBe(0.62);
  });

  it('is unknown where no driver tells it', async () => {
    expect(await graphicsBusyShare(folder)).toBeNull();
    await mkdir(join(folder, 'card0', 'device'), { recursive: true });
    expect(await graphicsBusyShare(folder)).toBeNull();
    await card('card0', 'unknown');
    expect(await graphicsBusyShare(folder)).toBeNull();
    expect(await graphicsBusyShare(join(folder, 'nowhere'))).toBeNull();
  });
});
