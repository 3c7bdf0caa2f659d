import type { Timeline } from '@hone/core/timeline';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import type { TestBrowser } from '../fixtures/browser.js';
import type { CutProject } from '../fixtures/cut-project.js';
import {
  openCutProject,
  THREE_CUTS,
  THREE_CUTS_LENGTH,
  THREE_CUTS_LINE,
  TRACKS_LEFT,
  TRACKS_RIGHT,
  type OpenCutProject,
} from '../fixtures/open-cut-project.js';

/** Sources on the way to the timeline, and from a clip back to its source. */
describe('sources and the timeline', () => {
  let browser: TestBrowser;
  let made: CutProject;
  let opened: OpenCutProject;
  const kept = (): Promise<Timeline> => opened.kept();
  const pictures = (): Promise<string[]> => opened.pictures();
  const becomes = (expected: readonly string[]): Promise<void> => expect.poll(pictures).toEqual(expected);

  /** Leaves the timeline for one source. */
  const playAlone = async (): Promise<void> => {
    const { page } = browser;
    await page.getByRole('link', { name: 'Sources', exact: true }).click();
    await page.getByRole('checkbox', { name: /pal25/ }).check();
    await page.getByRole('button', { name: 'Play alone' }).click();
    await page.getByTestId('subject').waitFor();
  };

  beforeAll(async () => {
    opened = await openCutProject('Placing', THREE_CUTS);
    ({ browser, made } = opened);
  });

  afterAll(() => opened.close());

  it('takes a source in at the playhead, between the clips', async () => {
    const { page } = browser;
    await browser.goTo(48, 24);
    await page.getByRole('link', { name: 'Sources', exact: true }).click();
    await page.getByRole('checkbox', { name: /pal25/ }).check();
    await page.getByRole('button', { name: 'Insert at playhead' }).click();
    // What stood behind the playhead has made room.
    await expect.poll(async () => (await pictures()).length).toBe(4);
    const placed = (await kept()).tracks[0]!.clips;
    expect(placed.map(({ start }) => start)).toEqual([0, 48, 48 + placed[1]!.length, 96 + placed[1]!.length]);
    await page.getByRole('link', { name: 'Work', exact: true }).click();
    await page.getByTestId('timeline').waitFor();
    await page.keyboard.press('Control+z');
    await becomes(THREE_CUTS_LINE);
    await browser.waitForPicture();
  });

  it('puts a source over what stands at the playhead, also when it was looked at alone before', async () => {
    const { page } = browser;
    await browser.goTo(24, 24);
    await playAlone();
    await browser.goTo(40, 25);
    await browser.waitForCode({ source: 3, frame: 40 });
    await page.getByRole('link', { name: 'Sources', exact: true }).click();
    await page.getByRole('checkbox', { name: /pal25/ }).check();
    await page.getByRole('button', { name: 'Overwrite at playhead' }).click();
    // Its three seconds lie on the rest of the first clip and on the second as a whole.
    await expect
      .poll(async () => (await kept()).tracks[0]!.clips.map(({ start, length }) => [start, length]))
      .toEqual([
        [0, 24],
        [24, 72],
        [96, 48],
      ]);
    await page.getByRole('link', { name: 'Work', exact: true }).click();
    await page.getByRole('button', { name: 'Back to the timeline' }).click();
    // The timeline stands where it stood.
    await browser.waitForCode({ source: 3, frame: 0 });
    await browser.goTo(34, 24);
    await browser.waitForCode({ source: 3, frame: 10 });
    await page.keyboard.press('Control+z');
    await becomes(THREE_CUTS_LINE);
    await browser.waitForPicture();
  });

  it('puts in the part of a source between its in and out point', async () => {
    const { page } = browser;
    await page.getByRole('link', { name: 'Sources', exact: true }).click();
    await page.getByRole('checkbox', { name: /pal25/ }).check();
    await page.getByRole('button', { name: 'Play alone' }).click();
    const part = page.getByTestId('part');
    await part.getByText('The whole source').waitFor();
    await browser.goTo(25, 25);
    await page.keyboard.press('i');
    await browser.goTo(49, 25);
    await page.keyboard.press('o');
    await part.getByText('25 frames between in and out point').waitFor();
    // Both points stand in the transport, and nothing of its column reaches into the next.
    await page.getByTestId('marks').getByText('in 00:00:01:00 out 00:00:01:24').waitFor();
    const wide = await page.locator('hone-viewer').evaluate((viewer) => {
      const edge = document.querySelector('aside')!.getBoundingClientRect().left;
      return [viewer, ...viewer.querySelectorAll('.transport > *, canvas, [data-testid=marks]')]
        .filter((element) => element.getBoundingClientRect().right > edge)
        .map(({ tagName }) => tagName);
    });
    expect(wide).toEqual([]);
    expect(await accessibilityFaults(page)).toEqual([]);
    await page.getByTestId('subject').getByRole('button', { name: 'Put on timeline' }).click();
    // The second second of it, behind the last clip.
    await expect
      .poll(async () => (await kept()).tracks[0]!.clips.at(-1))
      .toMatchObject({
        sourceId: made.ids.pal25,
        start: THREE_CUTS_LENGTH,
        length: 24,
        sourceIn: { num: 1, den: 1 },
      });
    await page.getByRole('button', { name: 'Back to the timeline' }).click();
    await browser.goTo(150, 24);
    await browser.waitForCode({ source: 3, frame: 31 });
    await page.keyboard.press('Control+z');
    await becomes(THREE_CUTS_LINE);
  });

  it('plays on when play is pressed at once on the way back from a source', async () => {
    const { page } = browser;
    await browser.goTo(0, 24);
    await playAlone();
    await browser.waitForCode({ source: 3, frame: 0 });
    // Both at once, sooner than anything is drawn.
    await page.getByRole('button', { name: 'Back to the timeline' }).evaluate((button: HTMLElement) => {
      button.click();
      document.body.dispatchEvent(new KeyboardEvent('keydown', { key: ' ', code: 'Space', bubbles: true }));
    });
    await expect.poll(async () => (await browser.shownCode())?.source, { timeout: 10_000 }).toBe(2);
    await browser.playButton('Play').waitFor();
  });

  it('takes a source that is dragged from its list, over the link of the page Work, to a track', async () => {
    const { page } = browser;
    await page.getByRole('link', { name: 'Sources', exact: true }).click();
    const row = page.getByRole('row').filter({ has: page.getByRole('checkbox', { name: /pal25/ }) });
    const from = (await row.boundingBox())!;
    const link = (await page.getByRole('link', { name: 'Work', exact: true }).boundingBox())!;
    await page.mouse.move(from.x + from.width / 2, from.y + from.height / 2);
    await page.mouse.down();
    await page.mouse.move(link.x + link.width / 2, link.y + link.height / 2, { steps: 6 });
    const timeline = page.getByTestId('timeline');
    await timeline.waitFor();
    const tracks = (await timeline.boundingBox())!;
    // Two frames beside the cut at frame 48, which is nearer than a pointer is held still.
    const x = tracks.x + TRACKS_LEFT + (50 / THREE_CUTS_LENGTH) * (tracks.width - TRACKS_LEFT - TRACKS_RIGHT);
    await page.mouse.move(x, tracks.y + 36, { steps: 6 });
    const place = page.getByTestId('drop-place');
    await place.waitFor();
    expect(await place.textContent()).toContain('overwrite');
    // Nothing has changed yet.
    expect(await pictures()).toEqual(THREE_CUTS_LINE);
    await page.mouse.up();
    await expect
      .poll(async () => (await kept()).tracks[0]!.clips.map(({ start, length }) => [start, length]))
      .toEqual([
        [0, 48],
        [48, 72],
        [120, 24],
      ]);
    expect(await place.count()).toBe(0);
    await page.keyboard.press('Control+z');
    await becomes(THREE_CUTS_LINE);
  });

  it('leads from a clip to the facts of its source in one step', async () => {
    const { page } = browser;
    const line = (await page.getByTestId('timeline').boundingBox())!;
    // The middle of the first clip, below the ruler.
    await page.mouse.dblclick(line.x + TRACKS_LEFT + (line.width - TRACKS_LEFT) / 6, line.y + 33);
    await page.getByRole('heading', { name: 'long24.mp4' }).waitFor();
    // Its length is in frames, as those of the timeline are.
    await page.locator('hone-source-detail').getByText('00:00:04:00').waitFor();
  });

  it('has met no error on the way', () => expect(browser.errors).toEqual([]));
});
