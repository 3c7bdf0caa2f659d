import type { RunRecord } from '@hone/core/api';
import type { Timeline } from '@hone/core/timeline';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { accessibilityFaults } from '../fixtures/accessible.js';
import { TestBrowser } from '../fixtures/browser.js';
import type { CutProject } from '../fixtures/cut-project.js';
import {
  clipLine,
  openCutProject,
  THREE_CUTS,
  THREE_CUTS_LENGTH,
  THREE_CUTS_LINE,
  TRACKS_LEFT,
  TRACKS_RIGHT,
  type OpenCutProject,
} from '../fixtures/open-cut-project.js';
import type { TestServer } from '../fixtures/server.js';

/** Where tracks stand below the edit bar and the ruler. */
const TRACK_Y = 33;
const SOUND_Y = 57;

/** Edits by mouse and keyboard, each looked up in what the server keeps and in the picture that is shown. */
describe('the timeline', () => {
  let server: TestServer;
  let browser: TestBrowser;
  let made: CutProject;
  let opened: OpenCutProject;
  const kept = (): Promise<Timeline> => opened.kept();
  const pictures = (): Promise<string[]> => opened.pictures();
  const becomes = (expected: readonly string[]): Promise<void> => expect.poll(pictures).toEqual(expected);

  /** Where a frame of the whole timeline stands. */
  async function at(
    frame: number,
    y = TRACK_Y,
    length = THREE_CUTS_LENGTH,
  ): Promise<{ x: number; y: number }> {
    const box = (await browser.page.getByTestId('timeline').boundingBox())!;
    return {
      x: box.x + TRACKS_LEFT + (frame / length) * (box.width - TRACKS_LEFT - TRACKS_RIGHT),
      y: box.y + y,
    };
  }
  async function drag(from: { x: number; y: number }, to: { x: number; y: number }): Promise<void> {
    const { mouse } = browser.page;
    await mouse.move(from.x, from.y);
    await mouse.down();
    await mouse.move((from.x + to.x) / 2, (from.y + to.y) / 2, { steps: 4 });
    await mouse.move(to.x, to.y, { steps: 4 });
    await mouse.up();
  }
  const press = async (frame: number, y = TRACK_Y): Promise<void> => {
    const { x, y: top } = await at(frame, y);
    await browser.page.mouse.click(x, top);
  };
  const chosen = (): Promise<string | null> => browser.page.getByTestId('chosen').textContent();
  const takeBack = async (): Promise<void> => {
    await browser.page.keyboard.press('Control+z');
    await becomes(THREE_CUTS_LINE);
  };

  beforeAll(async () => {
    opened = await openCutProject('Edits', THREE_CUTS);
    ({ server, browser, made } = opened);
  });

  afterAll(() => opened.close());

  it('chooses clips by a press, by a box and by kind', async () => {
    expect(await chosen()).toBe('No clip selected');
    await press(70);
    await expect.poll(chosen).toBe('1 clip, 48 frames');
    await browser.page.keyboard.press('Escape');
    await expect.poll(chosen).toBe('No clip selected');
    await browser.page.keyboard.press('Control+a');
    await expect.poll(chosen).toBe('4 clips, 144 frames');
    await browser.page.keyboard.press('Control+Shift+a');
    await expect.poll(chosen).toBe('3 clips, 144 frames');
    await browser.page.keyboard.press('Escape');
    expect(await accessibilityFaults(browser.page)).toEqual([]);
  });

  it('moves a clip with the mouse, over what stands there, and takes it back', async () => {
    await drag(await at(72), await at(72 + 24));
    await becomes(['cut 0 0+48', 'cut 1 72+48', 'cut 2 120+24']);
    await takeBack();
    await browser.page.keyboard.press('Control+y');
    await becomes(['cut 0 0+48', 'cut 1 72+48', 'cut 2 120+24']);
    await takeBack();
  });

  it('snaps to the end of another clip when it is near', async () => {
    await browser.page.keyboard.press('Home');
    await press(20);
    await browser.page.keyboard.press('Delete');
    await becomes(THREE_CUTS_LINE.slice(1));
    await drag(await at(72), await at(72 - 47));
    await becomes(['cut 1 0+48', 'cut 2 96+48']);
    await browser.page.keyboard.press('Control+z');
    await browser.page.keyboard.press('Control+z');
    await becomes(THREE_CUTS_LINE);
  });

  it('trims both ends with the mouse, as far as the neighbour', async () => {
    const nearEnd = await at(95.7);
    await drag(nearEnd, await at(80));
    await becomes(['cut 0 0+48', 'cut 1 48+32', 'cut 2 96+48']);
    await takeBack();
    await drag(await at(48.3), await at(60));
    await becomes(['cut 0 0+48', 'cut 1 60+36', 'cut 2 96+48']);
    const [, trimmed] = (await kept()).tracks[0]!.clips;
    // Twelve frames of 24 a second later in the source, which began at half a second.
    expect(trimmed!.sourceIn).toEqual({ num: 1, den: 1 });
    await takeBack();
  });

  it('splits at the playhead what is chosen, and everything when nothing is', async () => {
    await browser.goTo(60, 24);
    await press(70);
    await browser.page.keyboard.press('h');
    await becomes(['cut 0 0+48', 'cut 1 48+12', 'cut 1 60+36', 'cut 2 96+48']);
    expect((await kept()).tracks[1]!.clips).toHaveLength(1);
    await takeBack();
    await browser.page.keyboard.press('Escape');
    await browser.page.keyboard.press('h');
    await becomes(['cut 0 0+48', 'cut 1 48+12', 'cut 1 60+36', 'cut 2 96+48']);
    await expect.poll(async () => (await kept()).tracks[1]!.clips.length).toBe(2);
    await takeBack();
  });

  it('turns a clip off, and shows nothing there', async () => {
    await browser.goTo(60, 24);
    await browser.waitForCode({ source: 2, frame: 60 });
    await press(70);
    await browser.page.getByRole('button', { name: 'Clip', exact: true }).click();
    await browser.page.getByRole('menuitem', { name: /^Disable/ }).click();
    await becomes(['cut 0 0+48', 'cut 1 48+48 off', 'cut 2 96+48']);
    // Black reads as zeros all along; no clip has the number zero.
    await browser.waitForCode({ source: 0, frame: 0 });
    await browser.page.keyboard.press('y');
    await becomes(THREE_CUTS_LINE);
    await browser.waitForCode({ source: 2, frame: 60 });
  });

  it('changes speed, also backwards, and shows the frames of it', async () => {
    const field = browser.page.getByTestId('speed');
    await press(70);
    await field.fill('200');
    await field.press('Enter');
    await becomes(['cut 0 0+48', 'cut 1 48+24', 'cut 2 96+48']);
    await field.blur();
    await browser.goTo(54, 24);
    // Half a second and six frames of a 24th, twice as fast, of a clip with 60000/1001 a second.
    await browser.waitForCode({ source: 2, frame: 60 });
    await field.fill('-100');
    await field.press('Enter');
    await becomes(THREE_CUTS_LINE);
    await field.blur();
    await browser.goTo(48, 24);
    await browser.waitForCode({ source: 2, frame: 145 });
    await browser.goTo(49, 24);
    await browser.waitForCode({ source: 2, frame: 142 });
    await field.fill('5000');
    await field.press('Enter');
    await browser.page.getByText('between 1 % and 1000 %').waitFor();
    await becomes(THREE_CUTS_LINE);
    for (let step = 0; step < 2; step++) await browser.page.keyboard.press('Control+z');
  });

  it('copies and pastes, over what is there or between', async () => {
    await field0();
    await press(20);
    await browser.page.keyboard.press('Control+c');
    await browser.page.keyboard.press('End');
    await browser.page.keyboard.press('Control+v');
    await becomes([...THREE_CUTS_LINE.slice(0, 2), 'cut 2 96+47', 'cut 0 143+48']);
    await takeBack();
    await browser.goTo(48, 24);
    await browser.page.keyboard.press('Control+Shift+V');
    await becomes(['cut 0 0+48', 'cut 0 48+48', 'cut 1 96+48', 'cut 2 144+48']);
    await takeBack();
  });

  it('closes the gap when it is told to', async () => {
    await press(70);
    await drag(await at(70, SOUND_Y), await at(70, SOUND_Y));
    await press(70);
    await browser.page.keyboard.press('Shift+Delete');
    // The sound below stays where it is, so the pictures do too.
    await becomes(['cut 0 0+48', 'cut 2 96+48']);
    await takeBack();
    await press(70, SOUND_Y);
    await browser.page.keyboard.press('Delete');
    await press(70);
    await browser.page.keyboard.press('Shift+Delete');
    await becomes(['cut 0 0+48', 'cut 2 48+48']);
    for (let step = 0; step < 2; step++) await browser.page.keyboard.press('Control+z');
    await becomes(THREE_CUTS_LINE);
  });

  it('puts a crossfade at the nearest cut, makes it longer by its edge, and dips through any colour', async () => {
    const { page } = browser;
    const transitions = async (): Promise<unknown> =>
      ((await kept()).tracks[0]!.transitions ?? []).map(({ kind, at: cut, before, after, colour }) =>
        [kind, cut, before + after, ...(colour ? [colour] : [])].join(' '),
      );
    await page.keyboard.press('Escape');
    await browser.goTo(40, 24);
    await page.keyboard.press('x');
    await expect.poll(transitions).toEqual(['crossfade 48 24']);
    // Its edge behind the cut is twelve frames away; half as far again is a third longer on both sides.
    await drag(await at(60), await at(64));
    await expect.poll(transitions).toEqual(['crossfade 48 32']);
    await page.keyboard.press('Control+z');
    await expect.poll(transitions).toEqual(['crossfade 48 24']);
    await page.getByRole('button', { name: 'Transition' }).click();
    await page.getByRole('menuitem', { name: 'Wipe' }).click();
    await expect.poll(transitions).toEqual(['wipe 48 24']);
    await page.getByLabel('Colour that the dip goes through').evaluate((field) => {
      (field as HTMLInputElement).value = '#3a6f2e';
      field.dispatchEvent(new Event('change'));
    });
    await expect.poll(transitions).toEqual(['dip 48 24 #3a6f2e']);
    await page.getByRole('button', { name: 'Transition' }).click();
    await page.getByRole('menuitem', { name: 'Remove the nearest' }).click();
    await expect.poll(transitions).toEqual([]);
    await becomes(THREE_CUTS_LINE);
  });

  it('comes from the whole to a few frames in one gesture, and back', async () => {
    const { page } = browser;
    /** The frame of a place on the ruler, as the clock under the picture names it. */
    const frameAt = async (share: number): Promise<number> => {
      const box = (await page.getByTestId('timeline').boundingBox())!;
      await page.mouse.click(
        box.x + TRACKS_LEFT + share * (box.width - TRACKS_LEFT - TRACKS_RIGHT),
        box.y + 8,
      );
      const parts = (await page.getByTestId('timecode').textContent())!.split(':').map(Number);
      return 24 * parts[2]! + parts[3]!;
    };
    const turn = async (by: number): Promise<void> => {
      const { x, y } = await at(72);
      await page.mouse.move(x, y);
      for (let step = 0; step < 30; step++) await page.mouse.wheel(0, by);
    };
    await expect.poll(async () => (await frameAt(0.95)) - (await frameAt(0.05))).toBeGreaterThan(120);
    await turn(-200);
    await expect.poll(async () => (await frameAt(0.95)) - (await frameAt(0.05))).toBeLessThan(3);
    await turn(200);
    await expect.poll(async () => (await frameAt(0.95)) - (await frameAt(0.05))).toBeGreaterThan(120);
  });

  it('plays from where it is told to, however far behind that the playhead stands', async () => {
    const { page } = browser;
    // At the end it begins anew, two clips before the one that is seen.
    await browser.goTo(THREE_CUTS_LENGTH - 1, 24);
    await browser.playThrough();
    const played = async () =>
      (await server.get<RunRecord[]>(`projects/${made.project.id}/runs`))[0]!.summary;
    expect((await played()).wanted).toBe(THREE_CUTS_LENGTH);
    await browser.goTo(10, 24);
    await page.keyboard.press('i');
    await browser.goTo(60, 24);
    await page.keyboard.press('o');
    await browser.playThrough();
    await expect.poll(async () => (await played()).wanted).toBe(51);
    await page.keyboard.press('u');
  });

  it('does not overwrite what another window has kept meanwhile, and says so', async () => {
    const other = await TestBrowser.open(server.url);
    await other.waitForPicture();
    let release = (): void => undefined;
    const held = new Promise<void>((resolve) => (release = resolve));
    await other.page.route(`**/api/projects/${made.project.id}`, async (route) => {
      if (route.request().method() === 'PUT') await held;
      await route.continue();
    });
    // The other window splits all at 24, and its change is on the way while this one splits at 72.
    await other.goTo(24, 24);
    const asked = other.page.waitForRequest((request) => request.method() === 'PUT');
    await other.page.keyboard.press('h');
    await asked;
    await browser.goTo(72, 24);
    await browser.page.keyboard.press('h');
    const split = ['cut 0 0+48', 'cut 1 48+24', 'cut 1 72+24', 'cut 2 96+48'];
    await becomes(split);
    release();
    await other.page.getByText('The project was changed in another window').waitFor();
    await becomes(split);
    // Nothing is lost, and it goes on with what was kept.
    await other.page.keyboard.press('Control+y');
    await becomes(['cut 0 0+24', 'cut 0 24+24', 'cut 1 48+48', 'cut 2 96+48']);
    await other.page.keyboard.press('Control+z');
    await becomes(split);
    expect(await other.page.getByTestId('plate').textContent()).toContain('preview');
    await other.page.keyboard.press('h');
    await becomes(['cut 0 0+24', 'cut 0 24+24', ...split.slice(1)]);
    await other.close();
    // And this window has followed: it takes back first what the other one did, and then what it did itself.
    await browser.page.keyboard.press('Control+z');
    await becomes(split);
    for (let step = 0; step < 3; step++) await browser.page.keyboard.press('Control+z');
    await becomes(THREE_CUTS_LINE);
  });

  it('moves clips to another track by keyboard, and marks a place', async () => {
    await browser.page.getByRole('button', { name: 'Tracks' }).click();
    await browser.page.getByRole('menuitem', { name: 'Add a picture track' }).click();
    await expect.poll(async () => (await kept()).tracks.length).toBe(3);
    await browser.page.keyboard.press('Control+Shift+a');
    await browser.page.keyboard.press('Alt+ArrowUp');
    await expect.poll(async () => clipLine((await kept()).tracks[2]!.clips)).toEqual(THREE_CUTS_LINE);
    await browser.page.keyboard.press('Alt+Shift+ArrowRight');
    await expect
      .poll(async () => clipLine((await kept()).tracks[2]!.clips))
      .toEqual(['cut 0 24+48', 'cut 1 72+48', 'cut 2 120+48']);
    await browser.goTo(30, 24);
    await browser.page.keyboard.press('p');
    await expect.poll(async () => (await kept()).markers?.map(({ frame }) => frame)).toEqual([30]);
  });

  it('has met no error on the way', () => expect(browser.errors).toEqual([]));

  async function field0(): Promise<void> {
    await browser.page.keyboard.press('Escape');
    await becomes(THREE_CUTS_LINE);
  }
});
