/** Lines of a stack that say where it was, in the forms that runtimes write. */
const FRAMES = [
  /^\s*at\s+\S.*$/,
  /^\s*File "[^"]+", line \d+/,
  /^\s*\S+\.(?:go|rs|rb|py|ts|js|c|cc|cpp|java|kt):\d+/,
  /^\s*from\s+\S+:\d+:in/,
];
/** Frames of runtimes and libraries rather than of the program itself. */
const FOREIGN =
  /node_modules|node:internal|\(node:|java\.(?:lang|util|io)\.|javax?\.|sun\.|jdk\.|org\.springframework|site-packages|\/usr\/lib|\/usr\/local\/|runtime\/|<anonymous>/;

/** The first line of a stack that is the sender's own; the first of any where none is. */
export function topFrame(stack: string): string | undefined {
  const frames = stack
    .split(/\r?\n/)
    .filter((line) => FRAMES.some((form) => form.test(line)))
    .map((line) => line.trim());
  return frames.find((frame) => !FOREIGN.test(frame)) ?? frames[0];
}
