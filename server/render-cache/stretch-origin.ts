import { cacheFormat } from '@hone/core/media';
import { rational } from '@hone/core/time';
import type { FrameOrigin } from '../media/frames.js';
import type { StretchRow } from './stretch-store.js';

/** A cached stretch as a file whose frames are wanted: opaque, in limited-range BT.709. */
export const stretchOrigin = ({
  path,
  format,
  rate,
  width,
  height,
}: Pick<StretchRow, 'path' | 'format' | 'rate' | 'width' | 'height'>): FrameOrigin => ({
  ...{ name: 'render cache', path, stills: null },
  facts: {
    ...{ container: cacheFormat(format).muxer, pictureStart: rational(0) },
    picture: {
      ...{ codec: cacheFormat(format).codec, size: { width, height }, rate },
      ...{ scan: 'progressive', chroma: '4:2:0', alpha: false },
      colour: { matrix: 'bt709', primaries: 'bt709', transfer: 'bt709', range: 'limited' },
    },
  },
});
