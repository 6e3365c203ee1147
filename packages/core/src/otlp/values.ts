import { isObject, type Unknown } from '../records/objects.js';
import { Wide } from './wide.js';

/** A value of an attribute or a body, in the form of the protocol's JSON. */
export type PlainValue = string | number | boolean | null | PlainValue[] | { [key: string]: PlainValue };

/** The objects of a list; nothing where there is no list. */
export const objectsOf = (value: unknown): Unknown[] => (Array.isArray(value) ? value.filter(isObject) : []);

export const textOf = (value: unknown): string => (typeof value === 'string' ? value : '');

/** A number that may be written as text, as 64-bit integers are. */
export function numberOf(value: unknown): number | undefined {
  if (typeof value === 'number') return value;
  if (value instanceof Wide) return value.value;
  if (typeof value !== 'string' || value.trim() === '') return undefined;
  const number = Number(value);
  // The protocol's JSON spells what JSON has no number for.
  return Number.isNaN(number) && value !== 'NaN' ? undefined : number;
}

const isBytes = (value: unknown): value is Uint8Array => ArrayBuffer.isView(value);

const HEX = /^[0-9a-f]+$/;

/** An identifier of so many hexadecimal digits: bytes, hexadecimal text, or base64 as some senders wrongly have it. */
export function identifierOf(value: unknown, digits: number): string | undefined {
  let text: string | undefined;
  if (isBytes(value)) text = hexOf(value);
  else if (typeof value === 'string') {
    text = value.toLowerCase();
    if (text.length !== digits || !HEX.test(text)) {
      const bytes = bytesOfBase64(value);
      text = bytes && hexOf(bytes);
    }
  }
  return text?.length === digits && !/^0*$/.test(text) ? text : undefined;
}

const PAIRS = Array.from({ length: 256 }, (_, byte) => byte.toString(16).padStart(2, '0'));

function hexOf(bytes: Uint8Array): string {
  let text = '';
  for (const byte of bytes) text += PAIRS[byte]!;
  return text;
}

function bytesOfBase64(text: string): Uint8Array | undefined {
  if (!/^[A-Za-z0-9+/]+={0,2}$/.test(text) || text.length % 4 !== 0) return undefined;
  return Uint8Array.from(atob(text), (character) => character.charCodeAt(0));
}

const MAX_DEPTH = 8;

/** The value that an AnyValue stands for. */
export function plainValue(value: unknown, depth = 0): PlainValue {
  if (!isObject(value) || depth > MAX_DEPTH) return null;
  if (typeof value.stringValue === 'string') return value.stringValue;
  if (typeof value.boolValue === 'boolean') return value.boolValue;
  if (value.intValue !== undefined) {
    const number = numberOf(value.intValue);
    // Integers that no double holds stay text.
    return number === undefined || Number.isSafeInteger(number) ? (number ?? null) : textOf(value.intValue);
  }
  if (value.doubleValue !== undefined) {
    const number = numberOf(value.doubleValue);
    return number === undefined || Number.isFinite(number) ? (number ?? null) : String(number);
  }
  if (isObject(value.arrayValue))
    return objectsOf(value.arrayValue.values).map((item) => plainValue(item, depth + 1));
  if (isObject(value.kvlistValue)) {
    const entries = objectsOf(value.kvlistValue.values).map(({ key, value: item }): [string, PlainValue] => [
      textOf(key),
      plainValue(item, depth + 1),
    ]);
    return Object.fromEntries(entries);
  }
  if (isBytes(value.bytesValue)) return hexOf(value.bytesValue);
  if (typeof value.bytesValue === 'string') return value.bytesValue;
  return null;
}

/** Attributes by name; of those that come twice the last. */
export function attributesOf(list: unknown): Map<string, PlainValue> {
  const attributes = new Map<string, PlainValue>();
  for (const { key, value } of objectsOf(list)) {
    const name = textOf(key);
    if (name !== '') attributes.set(name, plainValue(value));
  }
  return attributes;
}

/** A value as text, as it stands in a field. */
export const asText = (value: PlainValue): string =>
  typeof value === 'string' ? value : JSON.stringify(value);
