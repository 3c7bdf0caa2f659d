import type { Project } from '@hone/core/api';
import type { EffectKind } from '@hone/core/render';
import { rational } from '@hone/core/time';
import type { Effect } from '@hone/core/timeline';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { TestBrowser } from '../fixtures/browser.js';
import { expectedCodes, makeCutProject, type CutProject, type NamedCut } from '../fixtures/cut-project.js';
import { EFFECT_SETTINGS, effectOf, TITLE_SETTINGS } from '../fixtures/effect-cases.js';
import { psnr } from '../fixtures/likeness.js';
import { loseGraphics } from '../fixtures/lost-graphics.js';
import { seenWhilePlaying } from '../fixtures/seen-while-playing.js';
import { TestServer } from '../fixtures/server.js';

const CUT: NamedCut = ['long24', rational(0), 96];
const codes = expectedCodes([CUT]);

interface Open {
  readonly server: TestServer;
  readonly browser: TestBrowser;
  readonly made: CutProject;
}

async function opened(
  prepare: (browser: TestBrowser) => Promise<void> = async () => undefined,
): Promise<Open> {
  const server = await TestServer.start();
  const made = await makeCutProject(server, 'Composing', [CUT]);
  await server.settle(made.project.id);
  const browser = await TestBrowser.open(server.url);
  await prepare(browser);
  await browser.reload();
  await browser.waitForPicture();
  return { server, browser, made };
}

const close = async ({ browser, server }: Open): Promise<void> => {
  await browser.close();
  await server.stop();
};

const position = ({ page }: TestBrowser, name: string) =>
  page.getByTestId('composing').getByRole('radio', { name, exact: true });
const plate = async ({ page }: TestBrowser) => (await page.getByTestId('plate').textContent())!;
const composeOn = async ({ server, made }: Open) =>
  (await server.get<Project>(`projects/${made.project.id}`)).tuning.composeOn;

describe('composing on the graphics processor', () => {
  let open: Open;

  beforeAll(async () => {
    open = await opened();
  });

  afterAll(() => close(open));

  /** Gives the only clip effects, by a page that is opened anew. @returns pixels of a frame at rest */
  async function shownWith(effects: readonly Effect[], frame: number): Promise<readonly number[]> {
    const { server, browser, made } = open;
    const tracks = made.timeline.tracks.map((track) =>
      track.kind === 'picture'
        ? { ...track, clips: track.clips.map((clip) => ({ ...clip, effects })) }
        : track,
    );
    await server.setTimeline(made.project.id, { ...made.timeline, tracks });
    await browser.page.reload();
    await browser.waitForPicture();
    await browser.goTo(frame, 24);
    // A slow machine shows the pictures before for a while.
    let [before, picture]: (readonly number[])[] = [[], []];
    do {
      before = picture!;
      await browser.page.waitForTimeout(700);
      picture = await browser.picture();
    } while (JSON.stringify(picture) !== JSON.stringify(before));
    return picture;
  }

  it('is left to the processor where the graphics processor is software', async () => {
    const { browser } = open;
    expect(await position(browser, 'Automatic').isChecked()).toBe(true);
    expect(await browser.page.getByTestId('composing').textContent()).toContain('on the processor');
    expect(await plate(browser)).not.toContain('composed on');
    expect(await accessibilityFaults(browser.page)).toEqual([]);
  });

  it('is switched while it plays, with every picture in its place', async () => {
    const { browser } = open;
    const playing = seenWhilePlaying(browser, codes);
    await browser.page.waitForTimeout(1200);
    await position(browser, 'Graphics processor').click();
    const { distinct, plates } = await playing;
    expect(distinct.size).toBeGreaterThan(10);
    const composed = [...plates].map((each) => each.includes('composed on the graphics processor'));
    expect(composed).toContain(true);
    expect(composed).toContain(false);
    await expect.poll(() => composeOn(open)).toBe('graphics processor');
    expect(browser.errors).toEqual([]);
  }, 90_000);

  it('shows each effect as the processor does', async () => {
    const { browser } = open;
    const kinds = Object.entries(EFFECT_SETTINGS) as [EffectKind, (typeof EFFECT_SETTINGS)['blur']][];
    const rows = [
      ...kinds.filter(([kind]) => kind !== 'table').map(([kind, settings]) => effectOf(kind, settings[2]!)),
      effectOf('title', TITLE_SETTINGS[0]!),
      effectOf('blur', [{ radius: 6 }]),
      effectOf('grain', [{}]),
      effectOf('blur', [{ radius: 15 }]),
    ];
    for (const effect of rows) {
      const pictures = [];
      for (const name of ['Processor', 'Graphics processor']) {
        await position(browser, name).click();
        await expect
          .poll(() => plate(browser).then((text) => text.includes('graphics')))
          .toBe(name !== 'Processor');
        pictures.push(await shownWith([effect], 40));
      }
      const [processor, graphics] = pictures;
      expect(psnr(graphics!, Buffer.from(processor!)), effect.kind).toBeGreaterThan(40);
    }
  }, 240_000);
});

describe('a graphics processor that is lost', () => {
  let open: Open;

  beforeAll(async () => {
    open = await opened((browser) => loseGraphics(browser.page.context(), 30));
  });

  afterAll(() => close(open));

  it('is replaced by the processor, with every picture in its place, and a message', async () => {
    const { browser } = open;
    await position(browser, 'Graphics processor').click();
    await expect.poll(() => plate(browser)).toContain('composed on the graphics processor');
    const { distinct, plates } = await seenWhilePlaying(browser, codes);
    expect(distinct.size).toBeGreaterThan(10);
    expect([...plates].some((each) => !each.includes('composed on'))).toBe(true);
    expect(await browser.page.locator('.notice').textContent()).toContain(
      'The graphics processor was lost. The processor composes on.',
    );
    expect(await position(browser, 'Processor').isChecked()).toBe(true);
    await expect.poll(() => composeOn(open)).toBe('processor');
  }, 90_000);
});
