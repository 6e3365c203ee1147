/** Gives every element the same size, where jsdom lays nothing out; returns what takes it back. */
export function layOut(width: number, height: number): () => void {
  const { ResizeObserver } = window;
  const sizes = { offsetWidth: width, offsetHeight: height, clientWidth: width, clientHeight: height };
  for (const [name, value] of Object.entries(sizes))
    Object.defineProperty(HTMLElement.prototype, name, { configurable: true, get: () => value });
  window.ResizeObserver = class {
    constructor(private readonly told: ResizeObserverCallback) {}

    observe(target: Element): void {
      const contentRect = { x: 0, y: 0, top: 0, left: 0, right: width, bottom: height, width, height };
      const borderBoxSize = [{ inlineSize: width, blockSize: height }];
      this.told([{ target, contentRect, borderBoxSize } as unknown as ResizeObserverEntry], this);
    }

    unobserve(): void {}
    disconnect(): void {}
  };
  return () => {
    window.ResizeObserver = ResizeObserver;
    for (const name of Object.keys(sizes))
      delete (HTMLElement.prototype as unknown as Record<string, unknown>)[name];
  };
}
