/** Numbers from 0 up to 1 that look random and are the same in each run (Lehmer's generator). For tests only. */
export function pseudoRandom(seed: number): () => number {
  let state = seed;
  return () => (state = (state * 48_271) % 2_147_483_647) / 2_147_483_647;
}
