const HELD: readonly string[] = ['index', 'hash', 'strip', 'sound', 'damage', 'likeness', 'stretch'];

/** Whether jobs of a kind are held while something plays or the machine is measured: nobody waits for their result. */
export const isHeldJob = (kind: string): boolean => HELD.includes(kind);
