import { FORMATS, type FormatName } from '@flail/core';
import { Command, Option } from 'commander';
import { configOf } from '../config/config.js';
import { startProblem } from '../database/start-problem.js';
import { load } from './load.js';

const config = configOf(process.env);

interface LoadFlags {
  source?: string;
  format: FormatName | 'auto';
  dataset: string;
  url: string;
  into?: string;
}

const program = new Command('flail').description(
  'Brings log files into Flail, and looks after what it keeps.',
);
program
  .command('load')
  .description('bring in log files, plain or gzip')
  .argument('<files...>', 'files to bring in')
  .option('--source <name>', 'name of the source (default: the name of the file)')
  .addOption(
    new Option('--format <format>', 'how to read them').choices(['auto', ...FORMATS]).default('auto'),
  )
  .option('--dataset <name>', 'data set', 'live')
  .option('--url <url>', 'address of Flail', `http://127.0.0.1:${config.port}`)
  .option('--into <folder>', 'store straight into a data folder that no Flail is running on; the fastest way')
  .action(async (files: string[], { into, ...options }: LoadFlags) => {
    if (into === undefined) {
      process.exitCode = (await load(files, options)) ? 0 : 1;
      return;
    }
    const { loadInto } = await import('./bulk.js');
    process.exitCode =
      (await orSaid(() => loadInto({ ...config, data: into }, files, options))) === true ? 0 : 1;
  });
program
  .command('check')
  .description('read every block of a data folder, check it, and rebuild every line')
  .argument('[folder]', 'data folder', config.data)
  .option('--upgrade', 'write segments of an earlier version anew')
  .action(async (folder: string, { upgrade }: { upgrade?: boolean }) => {
    const { check, checkText } = await import('./check.js');
    const result = await orSaid(() => check({ ...config, data: folder }, upgrade));
    if (result) console.log(checkText(result));
    process.exitCode = result?.problems.length === 0 ? 0 : 1;
  });

/** The result, or undefined after the fault was told. */
async function orSaid<T>(run: () => Promise<T>): Promise<T | undefined> {
  try {
    return await run();
  } catch (error) {
    console.error(startProblem(error));
    return undefined;
  }
}

await program.parseAsync();
