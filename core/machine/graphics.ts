/** A graphics processor as the machine's bus shows it. */
export interface GraphicsOnBus {
  /** Number of its maker, "0x8086" say. */
  readonly vendor: string;
  readonly device: string;
  /** The largest piece of its memory that the bus shows, bytes. */
  readonly memoryBytes: number;
}

/** Numbers of makers on the bus (PCI-SIG), and words by which renderers name their products. */
const MAKERS: readonly { readonly vendor: string; readonly name: string; readonly words: RegExp }[] = [
  { vendor: '0x8086', name: 'Intel', words: /intel/i },
  { vendor: '0x10de', name: 'NVIDIA', words: /nvidia|geforce|quadro|rtx/i },
  { vendor: '0x1002', name: 'AMD', words: /amd|radeon|ati /i },
];
/** A separate graphics processor shows at least this much of its own memory. */
const OWN_MEMORY = 1 << 28;

/** Renderers that draw on the processor; they count as no acceleration. */
export function isSoftwareRenderer(renderer: string): boolean {
  return /swiftshader|llvmpipe|softpipe|software|basic render|^none$/i.test(renderer);
}

/**
 * A graphics processor of the machine that is stronger than the one that the browser draws with.
 * @returns its name for people, or null when there is none
 */
export function strongerGraphics(renderer: string, devices: readonly GraphicsOnBus[]): string | null {
  const known = devices.flatMap((device) => {
    const maker = MAKERS.find(({ vendor }) => vendor === device.vendor);
    return maker ? [{ ...device, maker, used: maker.words.test(renderer) }] : [];
  });
  const unused = known.filter(({ used }) => !used).sort((a, b) => b.memoryBytes - a.memoryBytes);
  const best = unused[0];
  if (!best) return null;
  const used = known.find((device) => device.used);
  const isSeparate = best.memoryBytes >= OWN_MEMORY;
  if (!isSoftwareRenderer(renderer) && (!isSeparate || (used && used.memoryBytes >= best.memoryBytes)))
    return null;
  return `${best.maker.name} ${isSeparate ? 'graphics processor' : 'graphics'}, device ${best.device}`;
}
