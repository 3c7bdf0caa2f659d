import type { Project, Rigs } from '@hone/core/api';
import { rational } from '@hone/core/time';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { TestBrowser } from '../fixtures/browser.js';
import { expectedCodes, makeCutProject, type CutProject, type NamedCut } from '../fixtures/cut-project.js';
import { simulateHardwareDecoder } from '../fixtures/hardware-decoder.js';
import { seenWhilePlaying } from '../fixtures/seen-while-playing.js';
import { TestServer } from '../fixtures/server.js';

const FRAMES = 96;
const CUT: NamedCut = ['long24', rational(0), FRAMES];
const codes = expectedCodes([CUT]);

/** On a machine that tries the decoders of what stands on the timeline by itself. */
async function opened(prepare: (browser: TestBrowser) => Promise<void> = async () => undefined): Promise<{
  server: TestServer;
  browser: TestBrowser;
  made: CutProject;
}> {
  const server = await TestServer.start({}, { HONE_MEASURE: '' });
  const browser = await TestBrowser.open(server.url);
  await prepare(browser);
  const made = await makeCutProject(server, 'Decoding', [CUT]);
  await server.settle(made.project.id);
  await browser.page.goto(server.url);
  await browser.waitForPicture();
  await browser.waitForCode(codes[0]!);
  return { server, browser, made };
}

/** The lever of the timeline's only kind of pictures. */
const lever = ({ page }: TestBrowser) => page.getByTestId('decoding-h264');
const position = (browser: TestBrowser, name: string) =>
  lever(browser).getByRole('radio', { name, exact: true });

describe('decoding on a machine without hardware for it', () => {
  let open: Awaited<ReturnType<typeof opened>>;

  beforeAll(async () => {
    open = await opened();
  });

  afterAll(async () => {
    await open.browser.close();
    await open.server.stop();
  });

  it('says what it is decoded by, as measured, and why there is no other choice', async () => {
    const { browser } = open;
    await expect
      .poll(() => lever(browser).textContent(), { timeout: 60_000 })
      .toMatch(/in software, [\d.]+ ms a picture(?!;)/);
    expect(await position(browser, 'Automatic').isChecked()).toBe(true);
    expect(await position(browser, 'Hardware').isDisabled()).toBe(true);
    expect(await position(browser, 'Software').isDisabled()).toBe(false);
    const reason = await browser.page.getByTestId('no-hardware').textContent();
    expect(reason).toContain('decodes and draws on the processor alone');
    expect(await accessibilityFaults(browser.page)).toEqual([]);
    expect(browser.errors).toEqual([]);
  }, 120_000);
});

describe('decoding on a machine with hardware for it', () => {
  let open: Awaited<ReturnType<typeof opened>>;
  const kept = async () => (await open.server.get<Project>(`projects/${open.made.project.id}`)).tuning;
  const notice = () => open.browser.page.locator('.notice');

  beforeAll(async () => {
    open = await opened((browser) => simulateHardwareDecoder(browser.page.context(), 50));
  });

  afterAll(async () => {
    await open.browser.close();
    await open.server.stop();
  });

  it('was tried by both paths, and takes hardware by itself where that is ample', async () => {
    await expect
      .poll(() => lever(open.browser).textContent(), { timeout: 60_000 })
      .toMatch(/in hardware, [\d.]+ ms a picture; software takes [\d.]+ ms/);
    // The measurement that follows would take its part of the cores from playback.
    const own = async () => (await open.server.get<Rigs>('rigs')).own;
    await expect
      .poll(async () => (await own())?.decoders, { timeout: 150_000 })
      .toEqual(
        expect.arrayContaining(
          ['hardware', 'software'].map((acceleration): unknown => expect.objectContaining({ acceleration })),
        ),
      );
    expect(await position(open.browser, 'Hardware').isDisabled()).toBe(false);
  }, 240_000);

  it('plays on in software when the decoder is lost, with every picture in its place, and says so', async () => {
    const { browser } = open;
    const { distinct } = await seenWhilePlaying(browser, codes);
    expect(distinct.size).toBeGreaterThan(10);
    await browser.waitForCode(codes.at(-1)!);
    expect(await notice().textContent()).toMatch(
      /decoder of H\.264 .*was lost \(The device was removed\.\), and software plays on/,
    );
    expect(await position(browser, 'Software').isChecked()).toBe(true);
    await expect.poll(async () => (await kept()).decodePaths).toMatchObject([{ path: 'software' }]);
    expect(await lever(browser).textContent()).toMatch(/in software, .*; hardware takes/);
  }, 120_000);

  it('goes back to hardware when that is chosen, in a browser that was started anew', async () => {
    await open.browser.reload();
    await position(open.browser, 'Automatic').click();
    await expect.poll(() => lever(open.browser).textContent()).toMatch(/in hardware, /);
    await expect.poll(async () => (await kept()).decodePaths).toBeUndefined();
    expect(open.browser.errors).toEqual([]);
  }, 120_000);
});
