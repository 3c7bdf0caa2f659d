import type { Client, InStatement } from '@libsql/client';

interface OrderedEffect {
  readonly kind: string;
}

interface KeptTimeline {
  readonly tracks?: readonly {
    readonly clips?: readonly { readonly effects?: readonly OrderedEffect[] }[];
  }[];
}

/** When effects of a kind acted before their order was that of the list. */
function phaseOf({ kind }: OrderedEffect): number {
  if (kind === 'denoise') return 0;
  if (kind === 'mask') return 2;
  return kind === 'transform' ? 3 : 1;
}

const isOrdered = (effects: readonly OrderedEffect[]): boolean =>
  effects.every((each, at) => at === 0 || phaseOf(effects[at - 1]!) <= phaseOf(each));

/**
 * A timeline whose effects are listed in the order in which they acted so far: noise reduction, pixels, masks, transform.
 * @returns null where they are already
 */
export function inFormerOrder(timeline: KeptTimeline): KeptTimeline | null {
  const clips = timeline.tracks?.flatMap((track) => track.clips ?? []) ?? [];
  if (clips.every(({ effects = [] }) => isOrdered(effects))) return null;
  const tracks = timeline.tracks?.map((track) => ({
    ...track,
    clips: track.clips?.map((clip) => {
      const { effects = [] } = clip;
      // Sorting is stable (ECMAScript 2019).
      return isOrdered(effects)
        ? clip
        : { ...clip, effects: [...effects].sort((a, b) => phaseOf(a) - phaseOf(b)) };
    }),
  }));
  return { ...timeline, ...(tracks && { tracks }) } as KeptTimeline;
}

/** Statements that list the effects of all kept timelines in the order in which they acted, so that pictures stay. */
export async function keepEffectOrder(client: Client): Promise<InStatement[]> {
  const statements: InStatement[] = [];
  for (const table of ['projects', 'exports', 'revisions']) {
    const { rows } = await client.execute(`SELECT rowid AS row, timeline FROM ${table}`);
    for (const { row, timeline } of rows) {
      const ordered =
        typeof timeline === 'string' ? inFormerOrder(JSON.parse(timeline) as KeptTimeline) : null;
      if (ordered)
        statements.push({
          sql: `UPDATE ${table} SET timeline = ? WHERE rowid = ?`,
          args: [JSON.stringify(ordered), row!],
        });
    }
  }
  return statements;
}
