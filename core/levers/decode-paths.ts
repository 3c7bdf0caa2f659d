/** How a browser decodes: by hardware made for it, or on the processor. */
export const DECODE_PATHS = ['hardware', 'software'] as const;

/** One of DECODE_PATHS. */
export type DecodePath = (typeof DECODE_PATHS)[number];

/** Path that was chosen by hand for the pictures of one codec and profile. */
export interface DecodePathChoice {
  readonly codec: string;
  readonly profile: string;
  readonly path: DecodePath;
}

/** Codec and profile of pictures. */
type Coding = Pick<DecodePathChoice, 'codec' | 'profile'>;

/** The path that was chosen by hand for pictures of a codec and profile; undefined for automatic. */
export const chosenPath = (
  choices: readonly DecodePathChoice[] | undefined,
  { codec, profile }: Coding,
): DecodePath | undefined => choices?.find((each) => each.codec === codec && each.profile === profile)?.path;

/** Choices of paths with that of one codec and profile changed. @returns undefined where all are automatic */
export function withPath(
  choices: readonly DecodePathChoice[] | undefined,
  { codec, profile }: Coding,
  path: DecodePath | undefined,
): DecodePathChoice[] | undefined {
  const others = (choices ?? []).filter((each) => each.codec !== codec || each.profile !== profile);
  const all = path ? [...others, { codec, profile, path }] : others;
  return all.length ? all : undefined;
}
