import { number, object, string, type ObjectSchema } from 'yup';
import { frameSizeSchema, type FrameSize } from '../../timeline/index.js';

/** Encoder speed; the picture looks the same, a quick encoder makes a larger file. */
export type EncoderPace = 'quick' | 'balanced' | 'thorough';

export const DELIVERY_CODECS = ['h264', 'h265', 'vp9', 'av1', 'vc3', 'ffv1'] as const;

export type DeliveryCodec = (typeof DELIVERY_CODECS)[number];

/** Delivery settings of an export. They belong to the project and contain no lever. */
export interface Delivery {
  readonly size: FrameSize;
  readonly codec: DeliveryCodec;
  /** x264's constant rate factor: 0 is lossless, 18 looks like the original, larger is smaller. */
  readonly quality: number;
  /** Mbit a second on average; absent where the quality decides. */
  readonly megabits?: number | undefined;
  readonly pace: EncoderPace;
}

export const defaultDelivery = (size: FrameSize): Delivery => ({
  size,
  codec: 'h264',
  quality: 18,
  pace: 'quick',
});

/** Test of a schema with a size of pictures. */
export const EVEN_SIZE = {
  name: 'even',
  message: '4:2:0 colour needs an even width and height.',
  // Yup calls this test although the size is missing; its own schema reports that.
  test: ({ size }: { readonly size?: Partial<FrameSize> | null }): boolean =>
    (size?.width ?? 0) % 2 === 0 && (size?.height ?? 0) % 2 === 0,
};

export const deliverySchema: ObjectSchema<Delivery> = object({
  size: frameSizeSchema.required(),
  codec: string<DeliveryCodec>().strict().oneOf(DELIVERY_CODECS).required(),
  quality: number().strict().integer().min(0).max(40).required(),
  megabits: number().strict().min(0.5).max(400).optional(),
  pace: string<EncoderPace>().strict().oneOf(['quick', 'balanced', 'thorough']).required(),
})
  .noUnknown()
  .test(EVEN_SIZE);
