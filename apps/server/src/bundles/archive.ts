import { PassThrough, type Readable } from 'node:stream';
import { type Entry, openPromise, type ZipFile } from 'yauzl';
import { badRequest, Problem } from '../problems/problem.js';

const MAX_FILES = 100_000;
/** Bytes that a bundle may unpack to. */
const MAX_UNPACKED = 64 * 1024 ** 3;
/** What other programs leave in archives. */
const LITTER = /(?:^|\/)(?:__MACOSX\/|\.[^/]*$|Thumbs\.db$)/;

/** The files of a zip archive, each read as a stream when it is wanted. */
export class Archive {
  private constructor(
    private readonly zip: ZipFile,
    private readonly entries: ReadonlyMap<string, Entry>,
  ) {}

  /** Opens an archive; throws a problem for what is none, or is too much. */
  static async open(path: string): Promise<Archive> {
    let zip: ZipFile;
    try {
      zip = await openPromise(path, { autoClose: false });
    } catch (error) {
      throw badRequest('not-a-zip', `This is no zip archive that can be read: ${messageOf(error)}.`);
    }
    try {
      const entries = new Map<string, Entry>();
      let unpacked = 0;
      for await (const entry of zip.eachEntry()) {
        if (entry.fileName.endsWith('/') || LITTER.test(entry.fileName)) continue;
        unpacked += entry.uncompressedSize;
        if (entries.size >= MAX_FILES || unpacked > MAX_UNPACKED)
          throw badRequest(
            'too-large',
            `A bundle has ${MAX_FILES.toLocaleString('en')} files and 64 GB at most, unpacked.`,
          );
        entries.set(entry.fileName, entry);
      }
      return new Archive(zip, entries);
    } catch (error) {
      zip.close();
      if (error instanceof Problem) throw error;
      throw badRequest('damaged-zip', `The archive is damaged: ${messageOf(error)}.`);
    }
  }

  get files(): string[] {
    return [...this.entries.keys()];
  }

  has(file: string): boolean {
    return this.entries.has(file);
  }

  size(file: string): number {
    return this.entries.get(file)!.uncompressedSize;
  }

  /** The content of a file; it fails with a problem where the archive is damaged. */
  async stream(file: string): Promise<Readable> {
    const damaged = (error: unknown): Problem =>
      badRequest(
        'damaged-zip',
        `The archive is damaged: ${file} can not be read (${messageOf(error)}). Nothing of it was kept.`,
      );
    let source: Readable;
    try {
      source = await this.zip.openReadStreamPromise(this.entries.get(file)!);
    } catch (error) {
      throw damaged(error);
    }
    const content = new PassThrough();
    source.once('error', (error) => content.destroy(damaged(error)));
    content.once('close', () => source.destroy());
    // Whoever reads it meets the fault when its turn comes; until then nobody may be listening.
    content.on('error', () => undefined);
    return source.pipe(content);
  }

  /** The whole of a file, which is turned away where it is larger than `most` bytes. */
  async text(file: string, most: number): Promise<string> {
    if (this.size(file) > most)
      throw badRequest('too-large', `${file} is larger than ${Math.round(most / 1024 ** 2)} MB.`);
    const chunks: Buffer[] = [];
    for await (const chunk of await this.stream(file)) chunks.push(chunk as Buffer);
    return Buffer.concat(chunks).toString('utf8');
  }

  close(): void {
    this.zip.close();
  }
}

const messageOf = (error: unknown): string => (error instanceof Error ? error.message : String(error));
