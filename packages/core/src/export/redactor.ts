/** Values shorter than this can not be told from other text. */
export const SHORTEST_REDACTED = 3;

interface Node {
  next: Map<number, number>;
  /** Where to go on when nothing follows. */
  fail: number;
  /** Length of the longest value that ends here; 0 where none does. */
  length: number;
  /** Characters read to come here. */
  depth: number;
}

/**
 * Replaces values wherever they stand in a text, but for the names of JSON's members; of those that overlap the one that begins first, and of these the
 * longest. All values are looked for in one pass (Aho and Corasick 1975), however many there are.
 */
export class Redactor {
  private readonly nodes: Node[] = [{ next: new Map(), fail: 0, length: 0, depth: 0 }];

  /** @param names what each value is replaced by */
  constructor(private readonly names: ReadonlyMap<string, string>) {
    for (const value of names.keys()) if (value.length >= SHORTEST_REDACTED) this.add(value);
    this.link();
  }

  text(text: string): string {
    let done = '';
    let copied = 0;
    // The match that is open: it may still become longer.
    let [from, to] = [-1, -1];
    const take = (): void => {
      if (from < 0) return;
      if (isKey(text, from, to)) {
        from = -1;
        return;
      }
      done += text.slice(copied, from) + this.names.get(text.slice(from, to))!;
      copied = to;
      from = -1;
    };
    let at = 0;
    for (let index = 0; index < text.length; index++) {
      at = this.step(at, text.charCodeAt(index));
      for (let node = at; node !== 0; node = this.nodes[node]!.fail) {
        const { length } = this.nodes[node]!;
        const start = index + 1 - length;
        if (length === 0 || start < copied) continue;
        if (from < 0 || start < from || (start === from && index + 1 > to)) [from, to] = [start, index + 1];
      }
      // What is being read began behind it, so that it can not become longer.
      if (index + 1 - this.nodes[at]!.depth > from) take();
    }
    take();
    return done + text.slice(copied);
  }

  private add(value: string): void {
    let at = 0;
    for (let index = 0; index < value.length; index++) {
      const code = value.charCodeAt(index);
      let next = this.nodes[at]!.next.get(code);
      if (next === undefined) {
        next = this.nodes.push({ next: new Map(), fail: 0, length: 0, depth: index + 1 }) - 1;
        this.nodes[at]!.next.set(code, next);
      }
      at = next;
    }
    this.nodes[at]!.length = value.length;
  }

  private link(): void {
    const open = [...this.nodes[0]!.next.values()];
    for (const node of open)
      for (const [code, next] of this.nodes[node]!.next) {
        this.nodes[next]!.fail = this.step(this.nodes[node]!.fail, code);
        open.push(next);
      }
  }

  private step(from: number, code: number): number {
    for (let at = from; ; at = this.nodes[at]!.fail) {
      const next = this.nodes[at]!.next.get(code);
      if (next !== undefined) return next;
      if (at === 0) return 0;
    }
  }
}

/** Whether a part of a text is the name of a member in JSON: what is known of a record would change its name. */
const isKey = (text: string, from: number, to: number): boolean =>
  text[from - 1] === '"' && text[to] === '"' && /^\s*:/.test(text.slice(to + 1, to + 8));
