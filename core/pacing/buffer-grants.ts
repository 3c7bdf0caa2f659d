/**
 * The stream that the next free buffer is granted to: the one whose buffers reach least far along the timeline. Of several,
 * the first.
 * @param reachOf the first frame that a stream has no buffer for; undefined where it wants none
 */
export function neediestStream<T>(
  streams: Iterable<T>,
  reachOf: (stream: T) => number | undefined,
): T | undefined {
  let neediest: T | undefined;
  let lowest = Infinity;
  for (const stream of streams) {
    const reach = reachOf(stream);
    if (reach === undefined || reach >= lowest) continue;
    lowest = reach;
    neediest = stream;
  }
  return neediest;
}
