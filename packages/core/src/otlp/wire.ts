import type protobuf from 'protobufjs';
import { viewOf } from '../codec/bytes.js';
import type { Unknown } from '../records/objects.js';
import { Items } from './items.js';
import { requestType, type Signal } from './schema.js';
import { Texts } from './texts.js';
import { Wide } from './wide.js';

/**
 * Requests in protocol buffers, read by the schema into the form that the protocol's JSON has, but with bytes as
 * bytes and numbers as numbers. What is in lists of many is read only when it is gone through.
 */

/** Bytes are no request in protocol buffers. */
export class WireError extends Error {}

/** How many bytes a value takes on the wire. */
const WIRE = { varint: 0, eight: 1, sized: 2, open: 3, close: 4, four: 5 } as const;
const WIRE_OF: Record<string, number> = {
  bool: WIRE.varint,
  int32: WIRE.varint,
  uint32: WIRE.varint,
  sint32: WIRE.varint,
  int64: WIRE.varint,
  uint64: WIRE.varint,
  double: WIRE.eight,
  fixed64: WIRE.eight,
  sfixed64: WIRE.eight,
};

interface Field {
  name: string;
  wire: number;
  repeated: boolean;
  /** What the many are that are read one by one, where it holds such. */
  items: Message | undefined;
  read: (reader: WireReader, depth: number) => unknown;
}

interface Message {
  /** By their numbers. */
  fields: (Field | undefined)[];
}

const ITEMS = new Set(['LogRecord', 'Span', 'Metric']);
/** Messages in messages; attributes may hold values in values. */
const MAX_DEPTH = 64;
const TWO_TO_32 = 2 ** 32;

const known = new Map<protobuf.Type, Message>();

function messageOf(type: protobuf.Type): Message {
  const found = known.get(type);
  if (found) return found;
  const message: Message = { fields: [] };
  // Known before its fields are: values hold values.
  known.set(type, message);
  for (const field of type.fieldsArray) message.fields[field.id] = fieldOf(field.resolve());
  return message;
}

function fieldOf({ name, type, repeated, resolvedType }: protobuf.Field): Field {
  const inner = resolvedType ? messageOf(resolvedType as protobuf.Type) : undefined;
  return {
    name,
    wire: WIRE_OF[type] ?? WIRE.sized,
    repeated,
    items: ITEMS.has(type) ? inner : undefined,
    read: inner ? (reader, depth) => reader.message(inner, reader.end(), depth + 1) : READ[type]!,
  };
}

/** Reads a request. Throws a `WireError` on what is none, if only when its items are gone through. */
export function decodeRequest(signal: Signal, bytes: Uint8Array): unknown {
  return new WireReader(bytes).message(messageOf(requestType(signal)), bytes.length, 0);
}

/** The items of a list, each read when its turn comes. */
class WireItems extends Items {
  /** Where each begins and ends. */
  readonly places: number[] = [];

  constructor(
    private readonly bytes: Uint8Array,
    private readonly texts: Texts,
    private readonly item: Message,
    private readonly depth: number,
  ) {
    super();
  }

  *[Symbol.iterator](): Iterator<unknown> {
    const reader = new WireReader(this.bytes, this.texts);
    for (let at = 0; at < this.places.length; at += 2) {
      reader.at = this.places[at]!;
      yield reader.message(this.item, this.places[at + 1]!, this.depth);
    }
  }
}

class WireReader {
  at = 0;
  private readonly view: DataView;
  /** The upper half of the number of 64 bits that was read last. */
  high = 0;

  constructor(
    private readonly bytes: Uint8Array,
    /** One for a whole request: its lists may be many, and short. */
    private readonly texts = new Texts(bytes),
  ) {
    this.view = viewOf(bytes);
  }

  message(message: Message, end: number, depth: number): Unknown {
    if (depth > MAX_DEPTH) throw new WireError('messages in messages, too deep');
    const read: Unknown = {};
    while (this.at < end) {
      const tag = this.varint();
      const number = tag >>> 3;
      const wire = tag & 7;
      if (number === 0) throw new WireError(`no field at ${this.at}`);
      const field = message.fields[number];
      if (field === undefined) this.skip(wire, depth);
      else if (field.repeated) this.addTo(read, field, wire, depth);
      else if (wire === field.wire) read[field.name] = field.read(this, depth);
      else this.skip(wire, depth);
    }
    if (this.at !== end) throw new WireError(`a message that ends at ${end} reaches to ${this.at}`);
    return read;
  }

  private addTo(read: Unknown, field: Field, wire: number, depth: number): void {
    if (field.items && wire === WIRE.sized) {
      const end = this.end();
      const items = (read[field.name] ??= new WireItems(
        this.bytes,
        this.texts,
        field.items,
        depth + 1,
      )) as WireItems;
      items.places.push(this.at, end);
      this.at = end;
      return;
    }
    const list = (read[field.name] ??= []) as unknown[];
    if (wire === field.wire) list.push(field.read(this, depth));
    else if (wire === WIRE.sized) {
      // Numbers may come together.
      const end = this.end();
      while (this.at < end) list.push(field.read(this, depth));
    } else this.skip(wire, depth);
  }

  text(): string {
    const end = this.end();
    const text = this.texts.read(this.at, end);
    this.at = end;
    return text;
  }

  taken(): Uint8Array {
    const end = this.end();
    const taken = this.bytes.subarray(this.at, end);
    this.at = end;
    return taken;
  }

  double(): number {
    return this.view.getFloat64(this.eight(), true);
  }

  /** An integer of eight bytes, with a sign. */
  signedWide(): number {
    const at = this.eight();
    return this.view.getUint32(at, true) + this.view.getInt32(at + 4, true) * TWO_TO_32;
  }

  wide(): number | Wide {
    const at = this.eight();
    const wide = new Wide(this.view.getUint32(at + 4, true), this.view.getUint32(at, true));
    return Number.isSafeInteger(wide.value) ? wide.value : wide;
  }

  /** The end of what follows, by its length. */
  end(): number {
    const length = this.varint();
    const end = this.at + length;
    if (this.high !== 0 || end > this.bytes.length) throw new WireError(`${length} bytes at ${this.at}`);
    return end;
  }

  /** The lower half of a number of up to 64 bits. */
  varint(): number {
    this.high = 0;
    const first = this.byte();
    if (first < 0x80) return first;
    let low = first & 0x7f;
    for (let shift = 7; shift < 70; shift += 7) {
      const byte = this.byte();
      const seven = byte & 0x7f;
      if (shift < 32) low |= seven << shift;
      if (shift === 28) this.high = seven >>> 4;
      else if (shift > 28) this.high |= seven << (shift - 32);
      if (byte < 0x80) {
        this.high >>>= 0;
        return low >>> 0;
      }
    }
    throw new WireError(`a number without an end at ${this.at}`);
  }

  private byte(): number {
    if (this.at >= this.bytes.length) throw new WireError('it ends too early');
    return this.bytes[this.at++]!;
  }

  /** The place of eight bytes. */
  private eight(): number {
    const { at } = this;
    this.at += 8;
    if (this.at > this.bytes.length) throw new WireError('it ends too early');
    return at;
  }

  private skip(wire: number, depth: number): void {
    if (wire === WIRE.varint) this.varint();
    else if (wire === WIRE.eight) this.eight();
    else if (wire === WIRE.sized) this.at = this.end();
    else if (wire === WIRE.four) for (let byte = 0; byte < 4; byte++) this.byte();
    else if (wire === WIRE.open) this.skipGroup(depth + 1);
    else throw new WireError(`nothing is known that is written as ${wire}, at ${this.at}`);
  }

  private skipGroup(depth: number): void {
    if (depth > MAX_DEPTH) throw new WireError('groups in groups, too deep');
    for (;;) {
      const wire = this.varint() & 7;
      if (wire === WIRE.close) return;
      this.skip(wire, depth);
    }
  }
}

/** A signed integer of 64 bits; text where no double holds it. */
function signed(low: number, high: number): number | string {
  const number = (high | 0) * TWO_TO_32 + low;
  if (Number.isSafeInteger(number)) return number;
  return String((BigInt(high | 0) << 32n) + BigInt(low));
}

/** How values that are no messages are read, by their types. */
const READ: Record<string, Field['read']> = {
  string: (reader) => reader.text(),
  bytes: (reader) => reader.taken(),
  bool: (reader) => reader.varint() !== 0 || reader.high !== 0,
  int32: (reader) => reader.varint() | 0,
  uint32: (reader) => reader.varint(),
  sint32: (reader) => {
    const zigzag = reader.varint();
    return (zigzag >>> 1) ^ -(zigzag & 1);
  },
  int64: (reader) => signed(reader.varint(), reader.high),
  uint64: (reader) => reader.varint() + reader.high * TWO_TO_32,
  double: (reader) => reader.double(),
  fixed64: (reader) => reader.wide(),
  sfixed64: (reader) => reader.signedWide(),
};
