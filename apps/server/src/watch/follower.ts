import { binaryKind } from '@flail/core';
import { type FileHandle, open } from 'node:fs/promises';
import { join } from 'node:path';
import {
  BLOCK,
  FileStates,
  type FileState,
  isMarked,
  type Mark,
  markOf,
  mayBegin,
  type Taken,
} from './file-states.js';
import { type FoundFile, foundFiles } from './found-files.js';

/** Takes bytes of a source; a batch with a key that was taken before is not taken again. */
export type TakeBytes = (source: string, key: string, bytes: Uint8Array) => Promise<void>;
/** Is told of a file that can't be followed, and why. */
export type TellTrouble = (source: string, path: string, reason: string) => void;

const MAX_BATCH = 1024 * 1024;
/** Files of which a batch is on its way at a time. */
const AT_ONCE = 32;
/** A line without its end is waited for as long as this; so is the rest of a file that is being copied. */
const QUIET_MS = 5000;
const NEWLINE = 10;
const ROTATED = /(?:\.\d{1,4}|[.-]\d{8}(?:-\d+)?|[.-]\d{4}-\d\d-\d\d)$/;
/** Times that a file was cut short of which is remembered what had been taken before. */
const PAST = 3;

/** A file with new bytes. */
interface Piece {
  file: FoundFile;
  state: FileState;
  bytes: Uint8Array;
}

/**
 * Follows the files of a folder and of those in it as they grow: from their beginning, over renaming, over being cut
 * short, over being copied before they are cut short. A file is known again by its device and inode, by when it was
 * made where the file system tells, and by the first and the last block that was taken of it. What was read is written
 * down before and after it is handed over, so that nothing is taken twice or left out.
 */
export class Follower {
  private states: FileStates | undefined;
  private stopped = false;

  constructor(
    private readonly folder: string,
    private readonly stateFile: string,
    private readonly take: TakeBytes,
    private readonly tell: TellTrouble = () => undefined,
    private readonly now: () => number = Date.now,
  ) {}

  /** Ends a look that is under way, once what is on its way is taken. */
  stop(): void {
    this.stopped = true;
  }

  /** Looks at every file once, and hands over what is new. */
  async look(): Promise<void> {
    this.states ??= await FileStates.open(this.stateFile);
    const found = await foundFiles(this.folder);
    // What was renamed last was written first.
    found.sort((a, b) => (a.path < b.path ? 1 : -1));
    let open = await this.settled(found);
    let fault: unknown;
    while (open.length > 0 && !this.stopped) {
      const { next, failed } = await this.round(open);
      fault ??= failed;
      open = next;
    }
    await this.states.save(this.now());
    if (fault !== undefined) throw fault instanceof Error ? fault : new Error('It could not be taken.');
  }

  /** Which files have something new, each with its state. */
  private async settled(found: readonly FoundFile[]): Promise<{ file: FoundFile; state: FileState }[]> {
    const changed: { file: FoundFile; state: FileState }[] = [];
    for (const file of found) {
      if (this.stopped) break;
      try {
        const state = await this.stateOf(file);
        if (state && state.leftOut === undefined && state.offset < Number(file.stats.size))
          changed.push({ file, state });
      } catch (error) {
        this.tellUnlessGone(sourceOf(file.path), file.path, error);
      }
    }
    return changed;
  }

  /** Hands over a batch of each of some files; returns those that have more. */
  private async round(
    open: readonly { file: FoundFile; state: FileState }[],
  ): Promise<{ next: { file: FoundFile; state: FileState }[]; failed: unknown }> {
    const states = this.states!;
    const next: { file: FoundFile; state: FileState }[] = [];
    let failed: unknown;
    for (let at = 0; at < open.length && !this.stopped; at += AT_ONCE) {
      const pieces = (
        await Promise.all(open.slice(at, at + AT_ONCE).map(({ file, state }) => this.pieceOf(file, state)))
      ).filter((piece) => piece !== undefined);
      if (pieces.length === 0) continue;
      for (const { state, bytes } of pieces) state.sending = state.offset + bytes.length;
      await states.save(this.now());
      await Promise.all(
        pieces.map(async ({ file, state, bytes }) => {
          try {
            await this.take(state.source, `watch/${state.id}/${state.generation}/${state.offset}`, bytes);
          } catch (error) {
            // It is sent again, exactly so, at the next look; the others go on.
            failed ??= error;
            return;
          }
          noteTaken(state, bytes);
          delete state.sending;
          if (state.offset < Number(file.stats.size)) next.push({ file, state });
        }),
      );
    }
    return { next, failed };
  }

  /** The state of a file that is there: the one it had, or a new one; undefined where it is not to be looked at yet. */
  private async stateOf(file: FoundFile): Promise<FileState | undefined> {
    const states = this.states!;
    const { stats, path } = file;
    const [device, inode, size] = [String(stats.dev), String(stats.ino), Number(stats.size)];
    // File systems that do not keep when a file was made tell its last change instead.
    const born =
      stats.birthtimeNs === stats.ctimeNs || stats.birthtimeNs === 0n ? undefined : String(stats.birthtimeNs);
    const now = this.now();
    let state = states.at(device, inode);
    if (state) {
      const isOther =
        state.born !== undefined && born !== undefined
          ? state.born !== born
          : size !== state.size && sourceOf(path) !== state.source && !(await this.holds(file, state));
      if (isOther) state = undefined;
    }
    if (!state) {
      const copied = await this.copiedFrom(file);
      if (copied === 'open') return undefined;
      state = states.make({
        source: sourceOf(path),
        path,
        device,
        inode,
        ...(born !== undefined && { born }),
        seen: now,
      });
      if (copied) Object.assign(state, copied);
    }
    if (born !== undefined) state.born = born;
    state.path = path;
    state.seen = now;
    const changed = String(stats.mtimeNs);
    if (size === state.size && changed === state.changed) return state;
    // What was no log may have become one.
    if (size < state.size) delete state.leftOut;
    state.grown = now;
    state.size = size;
    state.changed = changed;
    // One that was cut short may have grown beyond what it was: then it no longer begins, or goes on, as it did.
    if (state.head && !(await this.holds(file, state))) forgetTaken(state);
    else if (size < state.offset) forgetTaken(state);
    await read(this.pathOf(file), (handle) => this.lookAtBeginning(handle, state));
    return state;
  }

  /** Looks at how a file begins: what is no log is left out, and the first block is kept in mind as it grows. */
  private async lookAtBeginning(handle: FileHandle, state: FileState): Promise<void> {
    const { head, offset } = state;
    if (head) {
      const length = Math.min(BLOCK, offset - head.from);
      if (length > head.length) state.head = markOf(head.from, await bytesOf(handle, head.from, length));
      return;
    }
    if (state.sending !== undefined || state.leftOut !== undefined) return;
    // A writer that keeps its place when a file is cut short leaves a hole where it had been.
    state.offset = await endOfHole(handle, offset, state.size);
    const first = await bytesOf(handle, state.offset, 4 * BLOCK);
    const kind = first.length === 0 ? undefined : binaryKind(first);
    if (kind === undefined) return;
    state.leftOut = kind;
    this.tell(state.source, state.path, `it is ${kind}, not lines of text`);
  }

  /** True where a file holds what was taken of one. */
  private async holds(file: FoundFile, taken: Taken): Promise<boolean> {
    if (Number(file.stats.size) < taken.offset) return false;
    return read(this.pathOf(file), async (handle) => {
      for (const mark of [taken.head, taken.tail]) if (mark && !(await isAt(handle, mark))) return false;
      return true;
    });
  }

  /**
   * What was taken already of a file that is a copy of another one, as when logs are copied and then cut short;
   * undefined where it is none, "open" where the copying may not be done.
   */
  private async copiedFrom(file: FoundFile): Promise<Taken | 'open' | undefined> {
    const { path, stats } = file;
    const source = sourceOf(path);
    if (source === path) return undefined;
    for (const state of this.states!.all()) {
      if (state.source !== source || state.path === path) continue;
      for (const { offset, head, tail } of [state, ...state.past]) {
        if (offset === 0 || !head) continue;
        const taken: Taken = { offset, head, ...(tail && { tail }) };
        if (await this.holds(file, taken)) return taken;
        const begun = Number(stats.size) < offset && (await this.beginsLike(file, head));
        if (begun && this.now() - Number(stats.mtimeMs) < QUIET_MS) return 'open';
      }
    }
    return undefined;
  }

  private beginsLike(file: FoundFile, head: Mark): Promise<boolean> {
    return read(this.pathOf(file), async (handle) =>
      mayBegin(await bytesOf(handle, head.from, head.length), head),
    );
  }

  /** The next bytes of a file; undefined where there is no whole line yet. */
  private async pieceOf(file: FoundFile, state: FileState): Promise<Piece | undefined> {
    try {
      const bytes = await read(this.pathOf(file), async (handle) => {
        const { ino, dev } = await handle.stat({ bigint: true });
        // It was renamed under the look; the next look finds it.
        if (ino !== file.stats.ino || dev !== file.stats.dev) return new Uint8Array(0);
        return bytesOf(handle, state.offset, (state.sending ?? state.offset + MAX_BATCH) - state.offset);
      });
      const whole = state.sending === undefined ? this.wholeLines(bytes, state) : bytes;
      return whole.length === 0 ? undefined : { file, state, bytes: whole };
    } catch (error) {
      this.tellUnlessGone(state.source, state.path, error);
      return undefined;
    }
  }

  /** The bytes up to the last line end; all of them where that is long in coming. */
  private wholeLines(bytes: Uint8Array, state: FileState): Uint8Array {
    const end = bytes.lastIndexOf(NEWLINE);
    if (end >= 0) return bytes.subarray(0, end + 1);
    const waited = bytes.length >= MAX_BATCH || this.now() - state.grown > QUIET_MS;
    return waited ? bytes : bytes.subarray(0, 0);
  }

  /** A file that was moved away under the look is found by the next one. */
  private tellUnlessGone(source: string, path: string, error: unknown): void {
    if ((error as NodeJS.ErrnoException).code !== 'ENOENT') this.tell(source, path, messageOf(error));
  }

  private pathOf({ path }: FoundFile): string {
    return join(this.folder, path);
  }
}

/** What a file's source is called: its path without what rotation adds. */
const sourceOf = (path: string): string => path.replace(ROTATED, '');

/** Begins a file anew that was cut short. A copy of what it was may still turn up. */
function forgetTaken(state: FileState): void {
  const { offset, head, tail } = state;
  if (head) state.past = [{ offset, head, ...(tail && { tail }) }, ...state.past].slice(0, PAST);
  state.offset = 0;
  state.generation++;
  delete state.head;
  delete state.tail;
  delete state.sending;
}

/** Notes that bytes were taken, and the blocks by which they are known again. */
function noteTaken(state: FileState, bytes: Uint8Array): void {
  const start = state.offset;
  const end = start + bytes.length;
  state.head ??= markOf(start, bytes.subarray(0, BLOCK));
  const last = bytes.subarray(Math.max(0, bytes.length - BLOCK));
  state.tail = markOf(end - last.length, last);
  state.offset = end;
}

async function isAt(handle: FileHandle, mark: Mark): Promise<boolean> {
  return isMarked(await bytesOf(handle, mark.from, mark.length), mark);
}

async function bytesOf(handle: FileHandle, from: number, length: number): Promise<Uint8Array> {
  const { buffer, bytesRead } = await handle.read(new Uint8Array(length), 0, length, from);
  return buffer.subarray(0, bytesRead);
}

/** Where the hole ends that a file has at a place; that place where it has none. */
async function endOfHole(handle: FileHandle, from: number, size: number): Promise<number> {
  let at = from;
  // Most files have none: so little is read first.
  for (let length = BLOCK; at < size; length = MAX_BATCH) {
    const bytes = await bytesOf(handle, at, length);
    if (bytes.length === 0) break;
    const end = bytes.findIndex((byte) => byte !== 0);
    if (end >= 0) return at + end;
    at += bytes.length;
  }
  return at;
}

async function read<T>(path: string, use: (handle: FileHandle) => Promise<T>): Promise<T> {
  const handle = await open(path);
  try {
    return await use(handle);
  } finally {
    await handle.close();
  }
}

const messageOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));
