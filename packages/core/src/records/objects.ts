/** What came from outside is anything until it is looked at. */
export type Unknown = Record<string, unknown>;

/** True for an object with names; lists and bytes are none. */
export const isObject = (value: unknown): value is Unknown =>
  typeof value === 'object' && value !== null && !Array.isArray(value) && !ArrayBuffer.isView(value);
