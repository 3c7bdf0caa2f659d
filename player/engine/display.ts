import { mixShare, passagesOf, type Layer } from '@hone/core/render';
import type { FrameSize } from '@hone/core/timeline';
import type { Control } from '../shared/control.js';
import type { ShownPixels } from '../shared/messages.js';
import type { PreviewPlan } from '../plan.js';
import type { Layout } from './layout.js';
import type { PlanView } from './plan-view.js';
import type { Screen } from './screen.js';
import { shownPixels } from './shown-pixels.js';
import { Slates } from './slates.js';
import type { ReadyPicture } from './ready-picture.js';

/** Draws frames from ready pictures, and reports their origins. */
export class Display {
  /** Sources whose pictures the server decoded, since this was last cleared. */
  readonly serverDecoded = new Set<string>();
  private readonly slates: Slates;
  private told = '';

  /** @param tell what the frame on the screen is made of; called only when that changes, which is at cuts at most */
  constructor(
    private readonly screen: Screen,
    memory: WebAssembly.Memory,
    private readonly control: Control,
    private readonly tell: (pixels: ShownPixels) => void,
  ) {
    this.slates = new Slates(memory);
  }

  /** Draws by another plan, which uses the room of slates for something else. */
  async setPlan({ composeOn, preview }: PreviewPlan): Promise<void> {
    this.slates.forget();
    await this.screen.composeOn(
      composeOn,
      passagesOf(preview.graph).flatMap(({ effects }) => effects),
    );
  }

  /** Lets the picture on the screen stand for another frame. @returns what that takes, ms */
  keep(frame: number): { composeMs: number; showMs: number } {
    this.control.set('shownFrame', frame);
    return { composeMs: 0, showMs: 0 };
  }

  /**
   * Draws a frame.
   * @param size of the frame in preview pixels @param ready its pictures, by clip
   * @returns what composing and showing took, ms
   */
  show(
    frame: number,
    plan: PlanView,
    layout: Layout,
    size: FrameSize,
    ready: ReadonlyMap<string, ReadyPicture> | undefined,
  ): { composeMs: number; showMs: number } {
    const layers = plan.layersAt(frame);
    const slateOf = ({ sourceId }: Layer): ReadyPicture | undefined => {
      const name = plan.plan.missing[sourceId];
      return name === undefined ? undefined : this.slates.get(name, size, layout.slates);
    };
    const drawn = layers.map((layer) => ({
      picture: ready?.get(layer.clipId) ?? slateOf(layer),
      mix: layer.mix ? { mix: layer.mix, share: mixShare(layer.mix, frame) } : undefined,
      clipId: layer.clipId,
      effects: layer.effects,
      at: frame - layer.clipStart,
    }));
    const took = this.screen.draw(drawn, size, layout.compose);
    this.control.set('shownFrame', frame);
    for (const { clipId, sourceId } of layers)
      if (ready?.get(clipId)?.decoder === 'server') this.serverDecoded.add(sourceId);
    const composedOn = this.screen.processor;
    const pixels = { ...shownPixels(layers, plan, ready, size), composedOn };
    const now = JSON.stringify(pixels);
    if (now !== this.told) {
      this.told = now;
      this.tell(pixels);
    }
    return took;
  }
}
