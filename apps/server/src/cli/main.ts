import { Command } from 'commander';
import { configOf } from '../config/config.js';
import { load } from './load.js';

const { port } = configOf(process.env);

const program = new Command('flail').description('Sends log files to a running Flail.');
program
  .command('load')
  .description('bring in log files, plain or gzip')
  .argument('<files...>', 'files to bring in')
  .option('--source <name>', 'name of the source (default: the name of the file)')
  .option('--format <format>', 'auto, json, logfmt, access or plain', 'auto')
  .option('--dataset <name>', 'data set', 'live')
  .option('--url <url>', 'address of Flail', `http://127.0.0.1:${port}`)
  .action(
    async (files: string[], options: { source?: string; format: string; dataset: string; url: string }) => {
      process.exitCode = (await load(files, options)) ? 0 : 1;
    },
  );

await program.parseAsync();
