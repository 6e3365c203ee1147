/** Disjoint sets of numbers; the smallest member stands for its set. */
export class Sets {
  private readonly parent: Int32Array;

  constructor(size: number) {
    this.parent = Int32Array.from({ length: size }, (_, at) => at);
  }

  of(member: number): number {
    const { parent } = this;
    let root = member;
    while (parent[root] !== root) root = parent[root]!;
    while (parent[member] !== root) [parent[member], member] = [root, parent[member]!];
    return root;
  }

  /** Makes one set of two; false when they were one already. */
  join(a: number, b: number): boolean {
    const one = this.of(a);
    const other = this.of(b);
    if (one === other) return false;
    this.parent[Math.max(one, other)] = Math.min(one, other);
    return true;
  }
}
