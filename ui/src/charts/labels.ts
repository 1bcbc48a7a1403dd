/**
 * Labels beside a plot, moved apart: each as near to the place it belongs to as its neighbours and the ends of the room
 * let it be, in the order of the places.
 *
 * Labels that would lie over each other are put together into a block around the mean of their places; blocks that
 * meet become one. That is the least sum of squared moves (isotonic regression by pooling, on places less gaps).
 */
export function apart(places: number[], gap: number, [low, high]: [number, number]): number[] {
  const order = places.map((_, i) => i).sort((i, j) => (places[i] ?? 0) - (places[j] ?? 0));
  const blocks: { mean: number; size: number }[] = [];
  order.forEach((i, k) => {
    blocks.push({ mean: (places[i] ?? 0) - k * gap, size: 1 });
    for (;;) {
      const [before, last] = blocks.slice(-2);
      if (!before || !last || before.mean <= last.mean) break;
      const size = before.size + last.size;
      blocks.splice(-2, 2, { mean: (before.mean * before.size + last.mean * last.size) / size, size });
    }
  });
  const most = high - gap * (places.length - 1);
  const at: number[] = [];
  blocks
    .flatMap((b) => Array<number>(b.size).fill(b.mean))
    .forEach((mean, k) => {
      at[order[k] ?? 0] = Math.max(low, Math.min(mean, most)) + k * gap;
    });
  return at;
}
