// Takes the pictures in docs/screenshots from a demo that runs with a fresh data folder:
//   HONE_DATA=$(mktemp -d) npm run demo      and, when its footage is ready,      node e2e/screenshots.mjs
import { mkdtempSync, rmSync } from 'node:fs';
import { Buffer } from 'node:buffer';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { chromium } from 'playwright-core';

const url = process.argv[2] ?? 'http://127.0.0.1:4310';
const folder = fileURLToPath(new URL('../docs/screenshots/', import.meta.url));
const flags =
  '--no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update --disable-sync';
const profile = mkdtempSync(join(tmpdir(), 'hone-shots-'));
const browser = await chromium.launchPersistentContext(profile, {
  executablePath: process.env.HONE_CHROMIUM ?? '/usr/bin/chromium',
  args: flags.split(' '),
  ignoreDefaultArgs: ['--hide-scrollbars'],
  viewport: { width: 1280, height: 800 },
});
const page = await browser.newPage();
const shot = (name) => page.screenshot({ path: join(folder, `${name}.png`) });
const quiet = () => page.getByText('Nothing runs in the background').waitFor({ timeout: 1_800_000 });
const open = async (name) => {
  await page.getByRole('link', { name, exact: true }).click();
  await page.waitForTimeout(1500);
};

async function play() {
  await page.keyboard.press('Home');
  await page.getByTestId('play').click();
  await page.locator('[data-testid="play"][aria-label="Stop"]').waitFor();
  await page.locator('[data-testid="play"][aria-label="Play"]').waitFor({ timeout: 180_000 });
  await page.waitForTimeout(3000);
  // A picture with something in it, instead of the last frame.
  for (let second = 0; second < 3; second++) await page.keyboard.press('Shift+ArrowLeft');
  await page.waitForTimeout(2500);
}

await page.goto(url);
await page.getByTestId('plate').getByText('preview').waitFor();
await quiet();
// The machine is measured by itself as soon as it is quiet.
await open('Rig');
await page.getByTestId('capabilities').waitFor({ timeout: 180_000 });
await page.waitForTimeout(1500);
await shot('rig');
await open('Work');
await play();
const lever = page
  .locator('hone-recommendation-list')
  .getByRole('button', { name: /Make copies.*MB/ })
  .first();
await lever.waitFor({ timeout: 120_000 });
await shot('work-before');
// All lanes with the sum behind one of them; then the same on a machine that is not here.
await page.getByTestId('turn-lanes').click();
const lanes = await page.getByTestId('lanes').boundingBox();
await page.mouse.move(lanes.x + 0.42 * lanes.width, lanes.y + lanes.height - 70);
await page.waitForTimeout(800);
await shot('load-lanes');
await page.getByTestId('turn-lanes').click();
const whatIf = async (name) => {
  await page.getByTestId('what-if').click();
  await page.getByRole('option', { name, exact: true }).click();
};
await whatIf('on: Office machine, four cores, integrated graphics');
await page.getByRole('heading', { name: /there$/ }).waitFor();
await page.getByText('Predicting each lever').first().waitFor({ state: 'detached' });
await page.waitForTimeout(800);
await shot('what-if');
await whatIf('on this machine');
await page.locator('aside').evaluate((element) => element.scrollTo(0, 0));
await lever.click();
await page
  .getByText(/Light copy of .* left/)
  .first()
  .waitFor();
await page
  .getByText(/Light copy of/)
  .first()
  .click();
await page.waitForTimeout(1500);
await shot('copies-running');
await page.keyboard.press('Escape');
await quiet();
await play();
await shot('work-after');
// The effects of the dusk; then a timeline from another program, which is not kept.
const box = await page.getByTestId('timeline').boundingBox();
const length = 2880;
const to = async (frame, y = 8) => {
  await page.mouse.click(box.x + 108 + (frame / length) * (box.width - 116), box.y + y);
  await page.waitForTimeout(4000);
};
await to(1200);
await to(1220, 165);
await page.getByTestId('effects').click();
await page.waitForTimeout(1500);
await shot('effects');
await page.getByTestId('effects').click();
await page.keyboard.press('Escape');
// The levers, with an effect bypassed.
await page.getByTestId('bypass').getByRole('button').first().click();
await page.locator('hone-lever-board').evaluate((element) => element.scrollIntoView());
await page.waitForTimeout(2500);
await shot('levers');
await page.locator('hone-decoding-board').evaluate((element) => element.scrollIntoView());
await shot('levers-hardware');
await page.getByTestId('bypass').getByRole('button').first().click();
const time = (value) => ({ OTIO_SCHEMA: 'RationalTime.1', value, rate: 24 });
const clip = (name, frames, effects = []) => ({
  ...{ OTIO_SCHEMA: 'Clip.2', name, effects },
  source_range: { OTIO_SCHEMA: 'TimeRange.1', start_time: time(0), duration: time(frames) },
  media_references: {
    DEFAULT_MEDIA: { OTIO_SCHEMA: 'ExternalReference.1', target_url: `/elsewhere/${name}.mp4` },
  },
});
const children = [
  clip('Main camera - mill at dusk', 48),
  clip('Wheel pit - paddles', 72),
  clip('Gulls over the weir', 24),
  clip('Drone - upstream', 48, [{ OTIO_SCHEMA: 'Effect.1', effect_name: 'Glow' }]),
];
const tracks = [{ OTIO_SCHEMA: 'Track.1', kind: 'Video', name: 'V1', children }];
const cut = { OTIO_SCHEMA: 'Timeline.1', name: 'Slack Water, other cut' };
await page.getByLabel('Timeline file to open').setInputFiles({
  name: 'other cut.otio',
  mimeType: 'application/json',
  buffer: Buffer.from(JSON.stringify({ ...cut, tracks: { OTIO_SCHEMA: 'Stack.1', children: tracks } })),
});
await page.waitForTimeout(1200);
await shot('import');
await page.keyboard.press('Escape');
await open('Sources');
await page
  .getByRole('button', { name: /Main camera/ })
  .first()
  .click();
await page.waitForTimeout(2500);
// The folder of this machine is nobody's business: the facts of the picture stand in view.
await page
  .getByRole('heading', { name: 'Picture', exact: true })
  .evaluate((element) => element.scrollIntoView());
await shot('sources');
await page.getByRole('radio', { name: 'Pictures' }).click();
await page.waitForTimeout(2500);
await shot('sources-grid');
await open('Runs');
await shot('run-opened');
await page.getByTestId('compare').click();
await page.waitForTimeout(2500);
await shot('runs-compared');
await open('Export');
// A quarter of the size: the proof is the same, and made in a fraction of the time.
await page.getByTestId('delivery-size').click();
await page.getByRole('option').last().click();
await page.waitForTimeout(1500);
await shot('export');
await page.getByTestId('export').click();
await page.getByTestId('proof').waitFor({ timeout: 1_800_000 });
await page.waitForTimeout(2000);
await shot('export-proof');
await page.getByRole('button', { name: 'Projects' }).click();
await page.getByRole('menuitem', { name: 'All projects' }).click();
await page.waitForTimeout(1500);
await shot('projects');
await browser.close();
rmSync(profile, { recursive: true, force: true });
