import { Random } from '../../bench/grouping/random.js';

const SYLLABLES = ['ka', 'ro', 'mi', 'len', 'do', 'ri', 'tan', 'vo', 'sel', 'be', 'nu', 'har', 'wi', 'go'];

/** What is drawn for a program's work. */
export class Draw extends Random {
  /** A name as people and hosts have them. */
  name(): string {
    return Array.from({ length: this.int(2, 3) }, () => this.pick(SYLLABLES)).join('');
  }

  names(count: number): string[] {
    return Array.from({ length: count }, () => this.name());
  }
}
