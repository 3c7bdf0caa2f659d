import { number, object, string, type ObjectSchema } from 'yup';
import { frameSizeSchema, type FrameSize } from '../../timeline/index.js';

/** How much time the encoder takes; the picture is the same to the eye, the file is larger when it is quick. */
export type EncoderPace = 'quick' | 'balanced' | 'thorough';

export const DELIVERY_CODECS = ['h264', 'h265', 'vp9', 'av1', 'vc3', 'ffv1'] as const;

export type DeliveryCodec = (typeof DELIVERY_CODECS)[number];

/** What the export is. It belongs to the project and knows no lever. */
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

export const deliverySchema: ObjectSchema<Delivery> = object({
  size: frameSizeSchema.required(),
  codec: string<DeliveryCodec>().strict().oneOf(DELIVERY_CODECS).required(),
  quality: number().strict().integer().min(0).max(40).required(),
  megabits: number().strict().min(0.5).max(400).optional(),
  pace: string<EncoderPace>().strict().oneOf(['quick', 'balanced', 'thorough']).required(),
})
  .noUnknown()
  .test(
    'even',
    '4:2:0 colour needs an even width and height.',
    // Yup asks although the size is missing; that is said of the size itself.
    ({ size }: { readonly size?: Partial<FrameSize> | null }) =>
      (size?.width ?? 0) % 2 === 0 && (size?.height ?? 0) % 2 === 0,
  );
