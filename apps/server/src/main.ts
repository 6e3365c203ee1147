import 'reflect-metadata';
import { networkInterfaces } from 'node:os';
import { createApp } from './app.js';
import { configOf, type Config, settingsHelp } from './config/config.js';
import { startProblem } from './database/start-problem.js';
import { listenForOtlp } from './otlp/otlp-port.js';
import { Lifecycle } from './platform/lifecycle.service.js';
import { lockFolder } from './store/data-lock.js';
import { SyslogService } from './syslog/syslog.service.js';

/** Milliseconds after which the process ends, whatever still holds it. */
const LAST_MS = 8000;

if (process.argv.includes('--help')) {
  console.log(`Flail's server. Settings are environment variables:\n${settingsHelp()}`);
  process.exit(0);
}

/** Runs what may go wrong at the start; tells what did in a sentence, and ends. */
async function orEnd<T>(run: () => T | Promise<T>, config?: Config): Promise<T> {
  try {
    return await run();
  } catch (error) {
    console.error(startProblem(error, config?.data));
    process.exit(1);
  }
}

const config = await orEnd(() => configOf(process.env));
await orEnd(() => lockFolder(config.data), config);
const app = await orEnd(() => createApp(config), config);
try {
  await app.listen(config.port, config.host);
} catch (error) {
  if (error instanceof Error && 'code' in error && error.code === 'EADDRINUSE') {
    console.error(
      `Port ${config.port} is taken. Choose another with FLAIL_PORT, or end the program that uses it.`,
    );
    process.exit(1);
  }
  console.error(`${config.host} can't be listened on: ${startProblem(error)}`);
  process.exit(1);
}
const { port } = app.getHttpServer().address() as { port: number };
console.log(
  `Flail is at ${config.publicUrl || addressOf(config.host, port)} and keeps its data in ${config.data}`,
);
if (config.open)
  console.log('There is no sign-in: everybody who reaches this address may read and change everything.');

let ending = false;
for (const signal of ['SIGTERM', 'SIGINT'] as const)
  process.on(signal, () => {
    if (ending) return;
    ending = true;
    setTimeout(() => process.exit(1), LAST_MS);
    app
      .get(Lifecycle)
      .end()
      .then(() => app.close())
      .then(
        () => process.exit(0),
        (error: unknown) => {
          console.error(error instanceof Error ? error.message : String(error));
          process.exit(1);
        },
      );
  });

/** The address to type: where all of the machine's are listened on, the first that others reach. */
function addressOf(host: string, port: number): string {
  const reached =
    host === '0.0.0.0' || host === '::'
      ? Object.values(networkInterfaces())
          .flatMap((addresses) => addresses ?? [])
          .find(({ internal, family }) => !internal && family === 'IPv4')?.address
      : host;
  const name = reached ?? 'localhost';
  return `http://${name.includes(':') ? `[${name}]` : name}:${port}`;
}

/** Opens a further port; that it is taken is no reason to end. */
async function alsoListen(name: string, port: number, listen: () => Promise<unknown>): Promise<void> {
  if (port === 0) return;
  try {
    await listen();
    console.log(`${name}: port ${port}`);
  } catch (error) {
    console.log(
      `${name}: port ${port} can't be used (${error instanceof Error ? error.message : String(error)})`,
    );
  }
}

await alsoListen('OpenTelemetry', config.otlpPort, () => listenForOtlp(app, config.otlpPort, config.host));
await alsoListen('Syslog', config.syslogPort, () =>
  app.get(SyslogService).listen(config.syslogPort, config.host),
);
