import { ByteReader, ByteWriter } from '../codec/bytes.js';

/** Microseconds of a minute. */
export const MINUTE = 60_000_000;

/** Records of one minute, service and level. */
export interface MinuteCell {
  /** Minutes since 1970. */
  minute: number;
  /** Code of the service in its segment. */
  service: number;
  level: number;
  count: number;
}

/** Counts records by minute, service and level, for questions that need no more. Records come in the order of time. */
export class MinuteCounts {
  private minute = NaN;
  private readonly current = new Map<number, number>();
  private readonly cells: MinuteCell[] = [];

  add(micros: number, service: number, level: number): void {
    const minute = Math.floor(micros / MINUTE);
    if (minute !== this.minute) {
      this.flush();
      this.minute = minute;
    }
    const key = service * 16 + level;
    this.current.set(key, (this.current.get(key) ?? 0) + 1);
  }

  encode(): Uint8Array {
    this.flush();
    const out = new ByteWriter();
    out.varint(this.cells.length);
    let before = 0;
    for (const { minute, service, level, count } of this.cells) {
      out.zigzag(minute - before);
      out.varint(service);
      out.u8(level);
      out.varint(count);
      before = minute;
    }
    return out.finish();
  }

  private flush(): void {
    for (const [key, count] of this.current) {
      this.cells.push({ minute: this.minute, service: Math.floor(key / 16), level: key % 16, count });
    }
    this.current.clear();
  }
}

/** Reads what `MinuteCounts` wrote. */
export function decodeMinutes(bytes: Uint8Array): MinuteCell[] {
  const input = new ByteReader(bytes);
  let minute = 0;
  return Array.from({ length: input.varint() }, () => {
    minute += input.zigzag();
    return { minute, service: input.varint(), level: input.u8(), count: input.varint() };
  });
}
