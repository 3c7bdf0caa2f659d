import { parse } from 'opentype.js';
import { readCube, type ColourTable } from '@hone/core/interchange';
import { textOf, TITLE_FONT_FILES, type KnownEffect, type TitleFont } from '@hone/core/render';

/** Files of effects, fetched once: LUTs and the typeface of titles. */
export class EffectFiles {
  private readonly tables = new Map<string, ColourTable>();
  private readonly fetching = new Map<string, Promise<void>>();
  font: TitleFont | undefined;

  readonly tableOf = (id: string): ColourTable | undefined => this.tables.get(id);

  /** Gets what some effects need. @throws Error in a sentence when it is not to be had */
  async prepare(effects: readonly KnownEffect[]): Promise<void> {
    for (const effect of effects) {
      if (effect.kind === 'table' && textOf(effect, 'table')) await this.table(textOf(effect, 'table'));
      if (effect.kind === 'title') await this.once('font', () => this.fetchFont());
    }
  }

  private table(id: string): Promise<void> {
    return this.once(id, async () => {
      const reply = await fetch(`/media/tables/${id}`);
      if (!reply.ok) throw new Error('A colour table is not there any more. Choose it again in the effect.');
      this.tables.set(id, readCube(await reply.text()));
    });
  }

  private async fetchFont(): Promise<void> {
    this.font = await Promise.all(
      TITLE_FONT_FILES.map(async (name) => {
        const reply = await fetch(`/media/fonts/${name}`);
        if (!reply.ok) throw new Error('The typeface of titles could not be read. Reload the page.');
        return parse(await reply.arrayBuffer());
      }),
    );
  }

  private async once(key: string, get: () => Promise<void>): Promise<void> {
    const known = this.fetching.get(key) ?? get();
    this.fetching.set(key, known);
    try {
      await known;
    } catch (error) {
      this.fetching.delete(key);
      throw error;
    }
  }
}
