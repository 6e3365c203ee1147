import 'reflect-metadata';
import { Presets, SingleBar } from 'cli-progress';
import { createReadStream, statSync } from 'node:fs';
import { basename } from 'node:path';
import type { Config } from '../config/config.js';
import { contextOf } from './context.js';
import { FileIntake } from '../intake/file-intake.service.js';
import { lockFolder } from '../store/data-lock.js';
import { RecordStore } from '../store/record-store.js';
import { fileKey, type LoadOptions, messageOf, summaryOf } from './load.js';

/** Bytes read at a time: large, so that little is done but reading. */
const READ_BYTES = 1024 * 1024;
const TELL_MS = 200;

/**
 * Stores files straight into a data folder that no Flail is running on: the same intake, without a socket
 * between. Resolves with whether all went well.
 */
export async function loadInto(
  config: Config,
  files: readonly string[],
  options: Omit<LoadOptions, 'url'>,
): Promise<boolean> {
  const release = lockFolder(config.data);
  const app = await contextOf(config);
  let failures = 0;
  try {
    const dataset = app.get(RecordStore).dataset(options.dataset);
    for (const file of files) {
      const bar = new SingleBar(
        { format: `${basename(file)} [{bar}] {percentage}% · {eta_formatted} left`, clearOnComplete: true },
        Presets.shades_classic,
      );
      let telling: NodeJS.Timeout | undefined;
      try {
        const { size, mtimeMs } = statSync(file);
        const source = options.source ?? basename(file);
        bar.start(size, 0);
        const body = createReadStream(file, { highWaterMark: READ_BYTES });
        // Listening for data would take it from whoever reads.
        telling = setInterval(() => bar.update(body.bytesRead), TELL_MS);
        const started = Date.now();
        const answer = await app.get(FileIntake).take({
          dataset,
          source,
          attributes: {},
          format: options.format,
          key: fileKey(source, size, mtimeMs, options.format),
          body,
        });
        clearInterval(telling);
        bar.stop();
        console.log(summaryOf(file, answer, (Date.now() - started) / 1000));
      } catch (error) {
        clearInterval(telling);
        bar.stop();
        failures++;
        console.error(`${file}: ${messageOf(error)}`);
      }
    }
  } finally {
    await app.close();
    release();
  }
  return failures === 0;
}
