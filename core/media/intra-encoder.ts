/** An encoder of H.264 pictures that stand alone, which ffmpeg may have. */
export interface IntraEncoder {
  /** ffmpeg's name of it. */
  readonly name: string;
  /** What encodes. */
  readonly on: 'processor' | 'graphics processor';
  /** Arguments that come before all inputs. */
  readonly setUp: readonly string[];
  /** Filters, with a comma before them, that bring pictures to the encoder. */
  readonly upload: string;
  /** @param factor constant rate factor, or constant quantiser, 0 to 51: the lower, the more like it is */
  arguments(factor: number): readonly string[];
}

/** Every picture on its own, none after those that follow it. */
const ALONE = ['-g', '1', '-bf', '0'];

/** Quick to make and to decode. */
export const PROCESSOR_ENCODER: IntraEncoder = {
  name: 'libx264',
  on: 'processor',
  setUp: [],
  upload: '',
  arguments: (factor) => [
    ...['-c:v', 'libx264', '-preset', 'ultrafast', '-tune', 'fastdecode', '-crf', String(factor)],
    ...ALONE,
  ],
};

const onGraphics = (
  name: string,
  quality: (factor: number) => readonly string[],
  { setUp = [], upload = ',format=nv12' }: Partial<Pick<IntraEncoder, 'setUp' | 'upload'>> = {},
): IntraEncoder => ({
  name,
  on: 'graphics processor',
  setUp,
  upload,
  arguments: (factor) => ['-c:v', name, ...quality(factor), ...ALONE],
});

/** Device that the system's first graphics processor has (Linux, Direct Rendering Manager). */
const FIRST_DEVICE = '/dev/dri/renderD128';

/** Largest quality of an encoder that counts from 0 to 100 instead of in quantisers, of which H.264 has 52. */
const BEST = 100;
const QUANTISERS = 52;

/** Encoders of graphics processors, with a constant quantiser where they have one (ffmpeg-codecs(1), `ffmpeg -h encoder=`). */
export const GRAPHICS_ENCODERS: readonly IntraEncoder[] = [
  onGraphics('h264_nvenc', (factor) => ['-preset', 'p1', '-rc', 'constqp', '-qp', String(factor)]),
  onGraphics('h264_qsv', (factor) => ['-preset', 'veryfast', '-global_quality', String(factor)]),
  onGraphics('h264_vaapi', (factor) => ['-rc_mode', 'CQP', '-qp', String(factor)], {
    setUp: ['-vaapi_device', FIRST_DEVICE],
    upload: ',format=nv12,hwupload',
  }),
  onGraphics('h264_amf', (factor) => [
    ...['-quality', 'speed', '-rc', 'cqp', '-qp_i', String(factor), '-qp_p', String(factor)],
  ]),
  onGraphics('h264_videotoolbox', (factor) => [
    ...['-q:v', String(Math.round(BEST * (1 - factor / QUANTISERS)))],
  ]),
  onGraphics('h264_mf', (factor) => [
    ...['-hw_encoding', '1', '-rate_control', 'quality'],
    ...['-quality', String(Math.round(BEST * (1 - factor / QUANTISERS)))],
  ]),
];

/** The encoder of a name. */
export const intraEncoder = (name: string): IntraEncoder | undefined =>
  [PROCESSOR_ENCODER, ...GRAPHICS_ENCODERS].find((each) => each.name === name);
