/** Where something stands on a map: its layer from the left, and its place in it from the top. */
export interface MapPlace {
  name: string;
  layer: number;
  place: number;
}

/** How often the layers are gone through to order them. */
const SWEEPS = 8;

/**
 * Places things so that whoever asks stands left of whom it asks: by the longest way from one that nobody asks,
 * calls that lead back left out, and in each layer by the mean place of those asked by (Sugiyama, Tagawa and Toda
 * 1981). The same names and calls always give the same places, whatever their order and their numbers.
 */
export function layersOf(
  names: readonly string[],
  calls: readonly { from: string; to: string }[],
): MapPlace[] {
  const all = [...new Set(names)].sort();
  const asks = new Map(all.map((name) => [name, new Set<string>()]));
  for (const { from, to } of calls) if (from !== to && asks.has(to)) asks.get(from)?.add(to);
  const asked = new Map(all.map((name) => [name, [] as string[]]));
  for (const [from, own] of asks) for (const to of own) asked.get(to)!.push(from);
  const layer = new Map<string, number>();
  const open = new Set<string>();
  const layerOf = (name: string): number => {
    const known = layer.get(name);
    if (known !== undefined) return known;
    // Whoever is being placed already is met again on a ring: that call leads back.
    if (open.has(name)) return -1;
    open.add(name);
    const own = Math.max(-1, ...[...asked.get(name)!].sort().map(layerOf)) + 1;
    open.delete(name);
    layer.set(name, own);
    return own;
  };
  for (const name of all) layerOf(name);
  const layers: string[][] = [];
  for (const name of all) (layers[layer.get(name)!] ??= []).push(name);
  const place = new Map<string, number>();
  const settle = (own: readonly string[]): void =>
    own.forEach((name, at) => place.set(name, at - (own.length - 1) / 2));
  for (const own of layers) settle(own);
  for (let sweep = 0; sweep < SWEEPS; sweep++) {
    const down = sweep % 2 === 0;
    for (const own of down ? layers : [...layers].reverse()) {
      const mean = (name: string): number => {
        const near = down ? asked.get(name)! : [...asks.get(name)!];
        return near.length === 0
          ? place.get(name)!
          : near.reduce((sum, one) => sum + place.get(one)!, 0) / near.length;
      };
      const means = new Map(own.map((name) => [name, mean(name)]));
      own.sort((a, b) => means.get(a)! - means.get(b)! || (a < b ? -1 : 1));
      settle(own);
    }
  }
  return all.map((name) => ({ name, layer: layer.get(name)!, place: place.get(name)! }));
}
