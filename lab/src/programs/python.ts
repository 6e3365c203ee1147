import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import type { Program, Workbench } from '../program.js';

const get = (path: string, ...headers: string[]): string =>
  `${[`${path} HTTP/1.1`, 'Host: lab.example', 'Connection: close', ...headers].join('\r\n')}\r\n\r\n`;

/** A script that the system's Python runs, traced by the places of its calls to logging. */
const python = (bench: Workbench, name: string, text: string): void =>
  bench.run('/usr/bin/python3', [bench.file(name, text)], 'python');

/** Programs in Python, traced by the place of each call to logging. */
export const PYTHON_PROGRAMS: readonly Program[] = [
  {
    name: 'supervisor',
    half: 'build',
    packages: ['supervisor'],
    needs: '/usr/bin/supervisord',
    async run(bench) {
      const names = bench.draw.names(8);
      const sections = names.map(
        (name, at) =>
          `[program:${name}]\ncommand=${bench.draw.pick(['/bin/sleep 1', '/bin/false', '/bin/sh -c "exit 3"', '/nonexistent/bin', '/bin/sleep 100'])}\nstartsecs=${at % 2}\nstartretries=2\nautorestart=${bench.draw.pick(['true', 'false', 'unexpected'])}\n`,
      );
      // Its own logger, not that of the standard library: its level methods are told by their callers.
      const config = bench.file(
        's.conf',
        `[supervisord]\nnodaemon=true\nlogfile=${bench.folder}/own.log\nloglevel=debug\npidfile=${bench.folder}/pid\nuser=root\n${sections.join('')}`,
      );
      bench.start(
        '/usr/bin/python3',
        [
          bench.file(
            'run.py',
            `import os, sys\nimport supervisor.loggers as loggers\nnotes = os.open(os.environ['LAB_NOTES'], os.O_WRONLY | os.O_APPEND)\nold = loggers.Logger.log\ndef log(self, level, msg, **kw):\n    frame = sys._getframe(2)\n    os.write(notes, ('%s:%d\\x1f%s\\x1e' % (frame.f_code.co_filename, frame.f_lineno, msg % kw if kw else msg)).encode())\n    return old(self, level, msg, **kw)\nloggers.Logger.log = log\nfrom supervisor.supervisord import main\nmain(['-c', '${config}'])\n`,
          ),
        ],
        'python',
      );
      await bench.sleep(9000);
    },
  },
  {
    name: 'aiosmtpd',
    half: 'build',
    packages: ['python3-aiosmtpd'],
    needs: '/usr/lib/python3/dist-packages/aiosmtpd',
    async run(bench) {
      const port = await bench.port();
      bench.start(
        '/usr/bin/python3',
        ['-m', 'aiosmtpd', '-n', '-d', '-d', '-l', `127.0.0.1:${port}`],
        'python',
      );
      await bench.sleep(1200);
      for (let round = 0; round < 30; round++) {
        const lines = [
          `${bench.draw.pick(['EHLO', 'HELO'])} ${bench.draw.name()}.example`,
          `MAIL FROM:<${bench.draw.name()}@a.example>`,
          `RCPT TO:<${bench.draw.name()}@b.example>`,
          bench.draw.pick(['DATA', 'VRFY bob', 'NOSUCH', 'RSET']),
          `Subject: ${bench.draw.name()}`,
          '',
          'hello',
          '.',
          'QUIT',
          '',
        ];
        await bench.talk(port, lines.slice(0, bench.draw.int(2, lines.length)).join('\r\n'), 120);
      }
    },
  },
  {
    name: 'radicale',
    half: 'final',
    packages: ['radicale'],
    needs: '/usr/bin/radicale',
    async run(bench) {
      const port = await bench.port();
      const config = bench.file(
        'r.conf',
        `[server]\nhosts = 127.0.0.1:${port}\n[auth]\ntype = none\n[storage]\nfilesystem_folder = ${bench.folder}/c\n[logging]\nlevel = debug\n`,
      );
      bench.start('/usr/bin/python3', ['/usr/bin/radicale', '--config', config], 'python');
      await bench.sleep(2000);
      for (let round = 0; round < 25; round++) {
        const user = bench.draw.name();
        const auth = `Authorization: Basic ${Buffer.from(`${user}:x`).toString('base64')}`;
        await bench.talk(
          port,
          get(
            `${bench.draw.pick(['GET', 'PUT', 'PROPFIND', 'MKCALENDAR', 'DELETE', 'OPTIONS', 'REPORT'])} /${user}/${bench.draw.pick(['', `${bench.draw.name()}/`, 'a.ics'])}`,
            auth,
            'Content-Length: 0',
          ),
          200,
        );
      }
    },
  },
  {
    name: 'gunicorn',
    half: 'final',
    packages: ['gunicorn'],
    needs: '/usr/bin/gunicorn',
    async run(bench) {
      const port = await bench.port();
      bench.file(
        'app.py',
        `import time, random\ndef app(environ, start):\n    path = environ['PATH_INFO']\n    if path.startswith('/slow'): time.sleep(3)\n    if path.startswith('/bad'): raise ValueError('no such thing ' + path)\n    if path.startswith('/die'): import os; os._exit(3)\n    start('200 OK', [])\n    return [b'ok']\n`,
      );
      bench.start(
        '/usr/bin/python3',
        [
          '/usr/bin/gunicorn',
          'app:app',
          '-b',
          `127.0.0.1:${port}`,
          '-w',
          '2',
          '--timeout',
          '1',
          '--log-level',
          'debug',
          '--max-requests',
          '7',
        ],
        'python',
      );
      await bench.sleep(1500);
      for (let round = 0; round < 40; round++)
        await bench.talk(
          port,
          bench.draw.chance(0.1)
            ? 'BAD REQUEST\r\n\r\n'
            : get(`GET /${bench.draw.pick(['ok', 'ok', 'bad', 'slow', 'die'])}/${bench.draw.name()}`),
          150,
        );
      await bench.sleep(2000);
    },
  },
  {
    name: 'scrapy',
    half: 'build',
    packages: ['python3-scrapy'],
    needs: '/usr/bin/scrapy',
    async run(bench) {
      const port = await bench.port();
      const pages = bench.draw.names(25);
      for (const page of pages)
        bench.file(
          `${page}.html`,
          `<a href="/${bench.draw.pick(pages)}.html">x</a><a href="/${bench.draw.name()}.html">y</a><a href="mailto:x">z</a>`,
        );
      const server = bench.start(
        '/usr/bin/python3',
        ['-S', '-m', 'http.server', String(port), '--bind', '127.0.0.1'],
        'c',
      );
      await bench.sleep(600);
      bench.run(
        '/usr/bin/python3',
        [
          '/usr/bin/scrapy',
          'runspider',
          bench.file(
            'spider.py',
            `import scrapy\nclass S(scrapy.Spider):\n    name = 's'\n    start_urls = ['http://127.0.0.1:${port}/${pages[0]!}.html', 'http://127.0.0.1:9/x', 'http://nosuch.example/']\n    custom_settings = {'RETRY_TIMES': 1, 'DOWNLOAD_TIMEOUT': 3}\n    def parse(self, response):\n        self.logger.info('page %s holds %d bytes', response.url, len(response.body))\n        if len(response.url) % 5 == 0: raise KeyError(response.url)\n        yield {'url': response.url}\n        for a in response.css('a::attr(href)').getall():\n            yield response.follow(a, self.parse)\n`,
          ),
        ],
        'python',
      );
      server.kill();
    },
  },
  {
    name: 'pip',
    half: 'build',
    packages: ['python3-pip'],
    needs: '/usr/lib/python3/dist-packages/pip',
    async run(bench) {
      const names = bench.draw.names(6);
      for (const name of names) {
        mkdirSync(join(bench.folder, name), { recursive: true });
        bench.file(
          `${name}/setup.py`,
          `from setuptools import setup\nsetup(name='${name}', version='${bench.draw.int(0, 9)}.${bench.draw.int(0, 9)}'${bench.draw.chance(0.4) ? `, install_requires=['${bench.draw.name()}>=2']` : ''})\n`,
        );
        bench.run(
          '/usr/bin/python3',
          [
            '-m',
            'pip',
            '-vvv',
            'install',
            '--no-index',
            '--no-build-isolation',
            '--target',
            join(bench.folder, 'out'),
            ...(bench.draw.chance(0.3) ? ['--no-deps'] : []),
            `./${name}`,
          ],
          'python',
        );
      }
      bench.run(
        '/usr/bin/python3',
        ['-m', 'pip', '-vvv', 'download', '--no-index', '--find-links', bench.folder, bench.draw.name()],
        'python',
      );
      await bench.sleep(10);
    },
  },
  {
    name: 'fail2ban',
    half: 'final',
    packages: ['fail2ban'],
    needs: '/usr/bin/fail2ban-server',
    async run(bench) {
      const watched = bench.file('auth', '');
      mkdirSync(join(bench.folder, 'conf'), { recursive: true });
      bench.client('cp', ['-r', '/etc/fail2ban/.', join(bench.folder, 'conf')]);
      bench.file(
        'conf/jail.local',
        `[DEFAULT]\nbackend = polling\nbanaction = noop\nbantime = 3\nfindtime = 60\nmaxretry = 3\n[sshd]\nenabled = true\nlogpath = ${watched}\n`,
      );
      bench.file(
        'conf/action.d/noop.conf',
        `[Definition]\nactionban = echo <ip>\nactionunban = ${bench.draw.pick(['true', 'false'])}\n`,
      );
      bench.start(
        '/usr/bin/python3',
        [
          '/usr/bin/fail2ban-server',
          '-f',
          '-c',
          join(bench.folder, 'conf'),
          '-s',
          join(bench.folder, 'sock'),
          '-p',
          join(bench.folder, 'pid'),
          '--loglevel',
          'DEBUG',
          '--logtarget',
          'stdout',
        ],
        'python',
      );
      await bench.sleep(2500);
      let text = '';
      for (let round = 0; round < 40; round++) {
        const now = new Date().toISOString().slice(0, 19).replace('T', ' ');
        text += `${now} host sshd[${bench.draw.int(100, 9999)}]: Failed password for ${bench.draw.name()} from 198.51.100.${bench.draw.int(1, 12)} port ${bench.draw.int(1024, 65000)} ssh2\n`;
        bench.file('auth', text);
        await bench.sleep(180);
      }
      await bench.sleep(4000);
    },
  },
  {
    name: 'celery',
    half: 'final',
    packages: ['celery', 'python3-celery'],
    needs: '/usr/bin/celery',
    async run(bench) {
      const kinds = bench.draw.names(4);
      bench.file(
        'tasks.py',
        `from celery import Celery\nfrom celery.utils.log import get_task_logger\napp = Celery('tasks', broker='filesystem://', backend='cache+memory://')\napp.conf.broker_transport_options = {'data_folder_in': '${bench.folder}/q', 'data_folder_out': '${bench.folder}/q'}\nlog = get_task_logger(__name__)\n${kinds.map((kind, at) => `@app.task(bind=True, max_retries=1, default_retry_delay=1)\ndef ${kind}(self, x):\n    log.info('working on %s with %s', x, '${kind}')\n    ${['return x', "raise ValueError('bad ' + x)", 'raise self.retry()', 'return None'][at]!}\n`).join('')}`,
      );
      mkdirSync(join(bench.folder, 'q'), { recursive: true });
      bench.file(
        'send.py',
        `import tasks, random\nfor n in range(40):\n    getattr(tasks, random.choice(${JSON.stringify(kinds)})).delay('item%d' % n)\n`,
      );
      bench.client('/usr/bin/python3', [join(bench.folder, 'send.py')]);
      bench.start(
        '/usr/bin/python3',
        ['/usr/bin/celery', '-A', 'tasks', 'worker', '-l', 'debug', '-P', 'solo'],
        'python',
      );
      await bench.sleep(9000);
    },
  },
  {
    name: 'duplicity',
    half: 'build',
    packages: ['duplicity'],
    needs: '/usr/bin/duplicity',
    async run(bench) {
      mkdirSync(join(bench.folder, 'data'), { recursive: true });
      for (let round = 0; round < 4; round++) {
        for (const name of bench.draw.names(15))
          bench.file(`data/${name}`, name.repeat(bench.draw.int(1, 400)));
        bench.run(
          '/usr/bin/python3',
          [
            '/usr/bin/duplicity',
            '--no-encryption',
            '-v8',
            '--archive-dir',
            join(bench.folder, 'a'),
            join(bench.folder, 'data'),
            `file://${bench.folder}/t`,
          ],
          'python',
        );
      }
      for (const what of ['collection-status', 'verify', 'list-current-files'])
        bench.run(
          '/usr/bin/python3',
          [
            '/usr/bin/duplicity',
            what,
            '--no-encryption',
            '-v8',
            '--archive-dir',
            join(bench.folder, 'a'),
            `file://${bench.folder}/t`,
            ...(what === 'verify' ? [join(bench.folder, 'data')] : []),
          ],
          'python',
        );
      await bench.sleep(10);
    },
  },
  {
    name: 'borg',
    half: 'build',
    packages: ['borgbackup'],
    needs: '/usr/bin/borg',
    async run(bench) {
      const repository = join(bench.folder, 'repo');
      mkdirSync(join(bench.folder, 'data'), { recursive: true });
      const run = (...args: string[]): void =>
        bench.run('/usr/bin/python3', ['/usr/bin/borg', '--debug', ...args], 'python');
      run('init', '-e', 'none', repository);
      for (const name of bench.draw.names(8)) {
        bench.file(`data/${name}`, name.repeat(99));
        run(
          'create',
          '--stats',
          `${repository}::${name}`,
          join(bench.folder, 'data'),
          `/nonexistent/${name}`,
        );
        if (bench.draw.chance(0.3)) run('delete', `${repository}::${name}`);
      }
      for (const args of [
        ['check'],
        ['compact'],
        ['info'],
        ['list', `::${bench.draw.name()}`],
        ['prune', '--keep-last', '2'],
        ['break-lock'],
      ])
        run(
          ...args.slice(0, 1),
          ...(args[1]?.startsWith('::') ? [`${repository}${args[1]}`] : [...args.slice(1), repository]),
        );
      await bench.sleep(10);
    },
  },
  {
    name: 'mkdocs',
    half: 'build',
    packages: ['mkdocs'],
    needs: '/usr/bin/mkdocs',
    async run(bench) {
      mkdirSync(join(bench.folder, 'docs'), { recursive: true });
      const names = bench.draw.names(20);
      for (let round = 0; round < 3; round++) {
        for (const name of names)
          bench.file(
            `docs/${name}.md`,
            `# ${name}\n[a](${bench.draw.pick(names)}.md) [b](${bench.draw.name()}.md) [c](#${bench.draw.name()}) [d](/${bench.draw.name()})\n`,
          );
        bench.file(
          'mkdocs.yml',
          `site_name: ${bench.draw.name()}\n${bench.draw.pick(['', `nav:\n  - ${names[0]}.md\n  - ${bench.draw.name()}.md\n`, `theme: readthedocs\n`, 'strict: false\n'])}`,
        );
        bench.run('/usr/bin/python3', ['/usr/bin/mkdocs', '-v', 'build'], 'python');
      }
      await bench.sleep(10);
    },
  },
  {
    name: 'paramiko',
    half: 'final',
    packages: ['python3-paramiko', 'openssh-server'],
    needs: '/usr/lib/python3/dist-packages/paramiko',
    async run(bench) {
      const port = await bench.port();
      bench.client('ssh-keygen', ['-q', '-t', 'rsa', '-N', '', '-f', join(bench.folder, 'k')]);
      bench.client('mkdir', ['-p', '/run/sshd']);
      bench.start('/usr/sbin/sshd', [
        '-D',
        '-f',
        bench.file(
          'sshd',
          `Port ${port}\nListenAddress 127.0.0.1\nHostKey ${bench.folder}/k\nPidFile none\nUsePAM no\nAuthorizedKeysFile ${bench.folder}/k.pub\nStrictModes no\nPermitRootLogin yes\n`,
        ),
      ]);
      await bench.sleep(500);
      python(
        bench,
        'run.py',
        `import logging, sys, random\nlogging.basicConfig(stream=sys.stderr, level=logging.DEBUG, format='%(levelname)-8s %(name)s %(threadName)s: %(message)s')\nimport paramiko\nfor n in range(14):\n    c = paramiko.SSHClient(); c.set_missing_host_key_policy(paramiko.AutoAddPolicy() if n % 2 else paramiko.WarningPolicy())\n    try:\n        c.connect('127.0.0.1', ${port}, username=random.choice(['root', '${bench.draw.name()}']), key_filename='${bench.folder}/k' if n % 3 else None, password='x', allow_agent=False, look_for_keys=False, timeout=3)\n        c.exec_command('echo ${bench.draw.name()}')[1].read()\n        s = c.open_sftp(); s.listdir('/'); \n        try: s.stat('/nonexistent')\n        except IOError: pass\n        s.close()\n    except Exception as e:\n        logging.getLogger('try').error('attempt %d ended: %s', n, e)\n    c.close()\n`,
      );
    },
  },
  {
    name: 'ansible',
    half: 'build',
    packages: ['ansible-core'],
    needs: '/usr/bin/ansible',
    async run(bench) {
      const names = bench.draw.names(6);
      const book = bench.file(
        'book.yml',
        `- hosts: all\n  gather_facts: false\n  tasks:\n${names.map((name, at) => `    - name: ${name}\n      ${['command: /bin/true', 'command: /bin/false', `file: path=${bench.folder}/${name} state=touch`, 'debug: msg=hello', 'command: /nonexistent', 'ping:'][at]!}\n      ignore_errors: true\n`).join('')}`,
      );
      bench.run(
        '/usr/bin/python3',
        [
          bench.file(
            'run.py',
            `import os, sys\nfrom ansible.utils import display\nnotes = os.open(os.environ['LAB_NOTES'], os.O_WRONLY | os.O_APPEND)\nold = display.Display.display\ndef shown(self, msg, *a, **k):\n    frame = sys._getframe(1)\n    while frame.f_code.co_filename.endswith('display.py'): frame = frame.f_back\n    os.write(notes, ('%s:%d\\x1f%s\\x1e' % (frame.f_code.co_filename, frame.f_lineno, msg)).encode())\n    return old(self, msg, *a, **k)\ndisplay.Display.display = shown\nfrom ansible.cli.playbook import main\nmain(['ansible-playbook', '-vvvv', '-i', '${names.map((name) => `${name},`).join('')}', '-c', 'local', '${book}'])\n`,
          ),
        ],
        'python',
      );
      await bench.sleep(10);
    },
  },
];
