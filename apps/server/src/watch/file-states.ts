import { createHash, randomUUID } from 'node:crypto';
import { readFile, rename, writeFile } from 'node:fs/promises';

/** A stretch of a file, known again by its hash. */
export interface Mark {
  from: number;
  length: number;
  hash: string;
  /** Its first bytes, by which a beginning of it is known. */
  first: string;
}

/** What was taken of a file: known again by the first and the last block of it. */
export interface Taken {
  offset: number;
  head?: Mark;
  tail?: Mark;
}

/** How far a file was read, and by what it is known again. */
export interface FileState extends Taken {
  id: string;
  source: string;
  /** Where it was seen last, from the folder on. */
  path: string;
  device: string;
  inode: string;
  /** When it was made, where the file system tells; nanoseconds since 1970. */
  born?: string;
  /** Where the batch ends that is on its way; after a crash it is sent again, exactly so. */
  sending?: number;
  /** How often it was cut short and begun anew. */
  generation: number;
  /** What was taken of it before it was cut short: a copy of it may still turn up. */
  past: Taken[];
  /** How large it was at the last look, and since when; milliseconds since 1970. */
  size: number;
  grown: number;
  /** When it was changed last, as the file system has it; nanoseconds since 1970. */
  changed?: string;
  /** When it was looked at last and found. */
  seen: number;
  /** Why it is not followed, where it is no log. */
  leftOut?: string;
}

/** A block by which a file is known again. */
export const BLOCK = 1024;

/** Bytes of a block that are kept as they are. */
const FIRST = 48;

/** The mark of some bytes that stand at a place. */
export const markOf = (from: number, bytes: Uint8Array): Mark => ({
  from,
  length: bytes.length,
  hash: createHash('sha256').update(bytes).digest('base64'),
  first: Buffer.from(bytes.subarray(0, FIRST)).toString('base64'),
});

/** True where bytes are what a mark was made of. */
export const isMarked = (bytes: Uint8Array, mark: Mark): boolean =>
  bytes.length === mark.length && markOf(mark.from, bytes).hash === mark.hash;

/** True where what a mark was made of may begin so. */
export function mayBegin(bytes: Uint8Array, { first }: Mark): boolean {
  const known = Buffer.from(first, 'base64');
  const length = Math.min(known.length, bytes.length);
  return known.subarray(0, length).equals(bytes.subarray(0, length));
}

/** A file that is gone is remembered for so long: it may have been moved away and back. */
const REMEMBERED_MS = 24 * 3_600_000;

/** What earlier versions wrote down, by inode. */
interface OldState {
  source: string;
  offset: number;
  sending?: number;
  generation: number;
  size: number;
  grown: number;
}

/** The states of all files, kept on the disk. */
export class FileStates {
  private readonly byPlace = new Map<string, FileState>();

  private constructor(private readonly file: string) {}

  static async open(file: string): Promise<FileStates> {
    const states = new FileStates(file);
    let stored: unknown;
    try {
      stored = JSON.parse(await readFile(file, 'utf8'));
    } catch {
      return states;
    }
    if (Array.isArray(stored)) for (const state of stored as FileState[]) states.add(state);
    else
      for (const [inode, state] of Object.entries(stored as Record<string, OldState>))
        states.add({
          ...state,
          id: inode,
          path: state.source,
          device: '',
          inode,
          past: [],
          seen: Date.now(),
        });
    return states;
  }

  all(): Iterable<FileState> {
    return this.byPlace.values();
  }

  /** The state of the file that was seen last at this place of a device. */
  at(device: string, inode: string): FileState | undefined {
    const found = this.byPlace.get(`${device}/${inode}`) ?? this.byPlace.get(`/${inode}`);
    if (found?.device === '') {
      // Earlier versions did not look at the device.
      this.byPlace.delete(`/${inode}`);
      found.device = device;
      this.add(found);
    }
    return found;
  }

  /** A state for a file that was not met before; it takes the place of one that was there. */
  make(file: Pick<FileState, 'source' | 'path' | 'device' | 'inode' | 'born' | 'seen'>): FileState {
    const state: FileState = {
      ...file,
      id: randomUUID(),
      offset: 0,
      generation: 0,
      past: [],
      size: -1,
      grown: 0,
    };
    this.add(state);
    return state;
  }

  /** Writes all down; what is gone for long is forgotten. */
  async save(now: number): Promise<void> {
    for (const [place, { seen }] of this.byPlace) if (now - seen > REMEMBERED_MS) this.byPlace.delete(place);
    // Renaming replaces the file as a whole, or not at all.
    await writeFile(`${this.file}.new`, JSON.stringify([...this.byPlace.values()]));
    await rename(`${this.file}.new`, this.file);
  }

  private add(state: FileState): void {
    this.byPlace.set(`${state.device}/${state.inode}`, state);
  }
}
