import { open, readdir, readFile, rename, stat, writeFile } from 'node:fs/promises';
import { join } from 'node:path';

/** How far a file was read. Files are told apart by their inode, so that a renamed one stays the same. */
interface FileState {
  source: string;
  offset: number;
  /** Where the batch ends that is on its way; after a crash it is sent again, exactly so. */
  sending?: number;
  /** How often it was cut short and begun anew. */
  generation: number;
  /** How large it was at the last look, and since when; milliseconds since 1970. */
  size: number;
  grown: number;
}

/** Takes bytes of a source; a batch with a key that was taken before is not taken again. */
export type TakeBytes = (source: string, key: string, bytes: Uint8Array) => Promise<void>;

const MAX_BATCH = 1024 * 1024;
/** A line without its end is waited for as long as this. */
const QUIET_MS = 5000;
const NEWLINE = 10;
const ROTATED = /\.(?:\d{1,4}|\d{8}(?:-\d+)?)$/;
const PACKED = /\.(?:gz|xz|bz2|zst|zip)$/;

/**
 * Follows the files of a folder as they grow: from their beginning, over renaming, over being cut short. What
 * was read is written down before and after it is handed over, so that nothing is taken twice or left out.
 */
export class Follower {
  private states: Record<string, FileState> | undefined;

  constructor(
    private readonly folder: string,
    private readonly stateFile: string,
    private readonly take: TakeBytes,
    private readonly now: () => number = Date.now,
  ) {}

  /** Looks at every file once, and hands over what is new. */
  async look(): Promise<void> {
    this.states ??= await this.load();
    const entries = await readdir(this.folder, { withFileTypes: true });
    const names = entries
      .filter((entry) => entry.isFile() && !entry.name.startsWith('.') && !PACKED.test(entry.name))
      .map(({ name }) => name);
    // What was renamed last was written first.
    for (const name of names.sort((a, b) => (a < b ? 1 : -1))) await this.follow(name);
  }

  private async follow(name: string): Promise<void> {
    const path = join(this.folder, name);
    const found = await stat(path).catch(() => undefined);
    // It was renamed under the look; the next look finds it.
    if (!found) return;
    const id = String(found.ino);
    const state = (this.states![id] ??= {
      source: name.replace(ROTATED, ''),
      offset: 0,
      generation: 0,
      size: -1,
      grown: 0,
    });
    if (found.size !== state.size) {
      state.size = found.size;
      state.grown = this.now();
    }
    if (found.size < (state.sending ?? state.offset)) {
      state.offset = 0;
      state.generation++;
      delete state.sending;
    }
    while (state.offset < found.size) {
      const bytes = await read(path, found.ino, state.offset, state.sending ?? state.offset + MAX_BATCH);
      if (!bytes) return;
      const whole = state.sending === undefined ? this.wholeLines(bytes, state) : bytes;
      if (whole.length === 0) return;
      state.sending = state.offset + whole.length;
      await this.save();
      await this.take(state.source, `watch/${id}/${state.generation}/${state.offset}`, whole);
      state.offset = state.sending;
      delete state.sending;
      await this.save();
    }
  }

  /** The bytes up to the last line end; all of them where that is long in coming. */
  private wholeLines(bytes: Uint8Array, state: FileState): Uint8Array {
    const end = bytes.lastIndexOf(NEWLINE);
    if (end >= 0) return bytes.subarray(0, end + 1);
    const waited = bytes.length >= MAX_BATCH || this.now() - state.grown > QUIET_MS;
    return waited ? bytes : bytes.subarray(0, 0);
  }

  private async load(): Promise<Record<string, FileState>> {
    try {
      return JSON.parse(await readFile(this.stateFile, 'utf8')) as Record<string, FileState>;
    } catch {
      return {};
    }
  }

  private async save(): Promise<void> {
    // Renaming replaces the file as a whole, or not at all.
    await writeFile(`${this.stateFile}.new`, JSON.stringify(this.states));
    await rename(`${this.stateFile}.new`, this.stateFile);
  }
}

/** Bytes of a file, if it still is the one that is meant. */
async function read(path: string, inode: number, from: number, to: number): Promise<Uint8Array | undefined> {
  const file = await open(path).catch(() => undefined);
  if (!file) return undefined;
  try {
    if ((await file.stat()).ino !== inode) return undefined;
    const { buffer, bytesRead } = await file.read(Buffer.alloc(to - from), 0, to - from, from);
    return buffer.subarray(0, bytesRead);
  } finally {
    await file.close();
  }
}
