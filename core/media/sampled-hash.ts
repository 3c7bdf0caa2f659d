/** Bytes of each sample that goes into the sampled hash of a file. */
export const HASH_SAMPLE_BYTES = 64 * 1024;
const SAMPLES = 5;

/**
 * Offsets of the samples of a sampled hash, spread evenly over a file.
 *
 * The sampled hash is the SHA-256 of the size in decimal digits, followed by `HASH_SAMPLE_BYTES` from each offset, or
 * what is there.
 * @param bytes size of the file
 */
export const hashSampleOffsets = (bytes: number): number[] =>
  Array.from({ length: SAMPLES }, (_, sample) =>
    Math.floor((Math.max(0, bytes - HASH_SAMPLE_BYTES) * sample) / (SAMPLES - 1)),
  );
