/** Bits of a byte's class. */
export const DIGIT = 1;
export const LETTER = 2;
export const HEX_LETTER = 4;
export const JOINER = 8;
export const WORD = DIGIT | LETTER;

/** Class bits of each byte; those beyond ASCII count as letters. */
export const CLASS = new Uint8Array(256).fill(LETTER, 128);
for (let code = 0; code < 128; code++) {
  const character = String.fromCharCode(code);
  if (/[0-9]/.test(character)) CLASS[code] = DIGIT;
  else if (/[a-fA-F]/.test(character)) CLASS[code] = LETTER | HEX_LETTER;
  else if (/[A-Za-z_]/.test(character)) CLASS[code] = LETTER;
  else if (/[-.+~]/.test(character)) CLASS[code] = JOINER;
}

/** Whether a byte is part of a word. */
export const isWord = (byte: number): boolean => (CLASS[byte]! & WORD) !== 0;
