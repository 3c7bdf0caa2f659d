import { chosenCacheFormat, type CodedPictures } from '@hone/core/cost-model';
import type { CacheFormat } from '@hone/core/media';
import type { RigStore } from '../rig/rig-store.js';
import type { StretchStore } from './stretch-store.js';

/** The format that pictures are rendered in now: as chosen, or as this machine was measured. */
export async function formatFor(
  pictures: CodedPictures,
  { stretches, rigs }: { readonly stretches: StretchStore; readonly rigs: RigStore },
): Promise<CacheFormat> {
  const { format } = await stretches.settings();
  return chosenCacheFormat((await rigs.own()) ?? undefined, format, pictures);
}
