import 'reflect-metadata';
import { createApp } from './app.js';
import { configOf, settingsHelp } from './config/config.js';
import { listenForOtlp } from './otlp/otlp-port.js';
import { lockFolder } from './store/data-lock.js';
import { SyslogService } from './syslog/syslog.service.js';

if (process.argv.includes('--help')) {
  console.log(`Flail's server. Settings are environment variables:\n${settingsHelp()}`);
  process.exit(0);
}

const config = configOf(process.env);
try {
  lockFolder(config.data);
} catch (error) {
  console.error(error instanceof Error ? error.message : String(error));
  process.exit(1);
}
const app = await createApp(config);
try {
  await app.listen(config.port, config.host);
} catch (error) {
  if (error instanceof Error && 'code' in error && error.code === 'EADDRINUSE') {
    console.error(
      `Port ${config.port} is taken. Choose another with FLAIL_PORT, or end the program that uses it.`,
    );
    process.exit(1);
  }
  throw error;
}
console.log(`Flail is at ${await app.getUrl()} and keeps its data in ${config.data}`);

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
