import type { Response } from 'express';
import type { Readable } from 'node:stream';

/** Answers with an archive as it is made. */
export function sendArchive(response: Response, title: string, archive: Readable): void {
  response.type('application/zip').attachment(`${title.replace(/[^\w.-]+/g, '-')}.zip`);
  // Packed already, so it is not packed again on its way.
  response.setHeader('Cache-Control', 'no-transform');
  response.once('close', () => archive.destroy());
  archive.once('error', () => response.destroy());
  archive.pipe(response);
}
