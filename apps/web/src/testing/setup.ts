import '@testing-library/jest-dom';
import { configure } from '@testing-library/react';
import { TextDecoderStream } from 'node:stream/web';
import { TextDecoder, TextEncoder } from 'node:util';

Object.assign(globalThis, { TextDecoder, TextDecoderStream, TextEncoder });

// What is waited for comes; how soon depends on how busy the machine is.
configure({ asyncUtilTimeout: 15_000 });

/** What jsdom lacks and Mantine asks for. */
window.matchMedia = (query) =>
  ({
    matches: false,
    media: query,
    addEventListener: () => undefined,
    removeEventListener: () => undefined,
    addListener: () => undefined,
    removeListener: () => undefined,
  }) as unknown as MediaQueryList;

window.ResizeObserver = class {
  observe(): void {}
  unobserve(): void {}
  disconnect(): void {}
};

// jsdom lays nothing out, and so scrolls nowhere.
Element.prototype.scrollIntoView = () => undefined;

// jsdom knows no pointers; they are told as a mouse is.
window.PointerEvent ??= class extends MouseEvent {
  readonly pointerId: number;

  constructor(type: string, init: PointerEventInit = {}) {
    super(type, init);
    this.pointerId = init.pointerId ?? 0;
  }
} as typeof PointerEvent;
