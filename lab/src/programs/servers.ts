import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import type { Program } from '../program.js';

const request = (line: string, ...headers: string[]): string => `${[line, ...headers].join('\r\n')}\r\n\r\n`;

/** Proxies and servers in C, traced by their format strings. */
export const SERVERS: readonly Program[] = [
  {
    name: 'haproxy',
    half: 'build',
    packages: ['haproxy'],
    needs: '/usr/sbin/haproxy',
    async run(bench) {
      const [front, good, dead] = [await bench.port(), await bench.port(), await bench.port()];
      const servers = bench.draw.names(4);
      const config = bench.file(
        'haproxy.cfg',
        `global\n  log stdout format raw local0 debug\ndefaults\n  log global\n  mode http\n  option httplog\n  timeout connect 200\n  timeout client 500\n  timeout server 500\nfrontend ${bench.draw.name()}\n  bind 127.0.0.1:${front}\n  default_backend ${servers[3]}\nbackend ${servers[3]}\n${servers
          .slice(0, 3)
          .map((name, at) => `  server ${name} 127.0.0.1:${at === 0 ? good : dead} check inter 300 fall 1\n`)
          .join('')}`,
      );
      bench.start('/usr/sbin/haproxy', ['-d', '-f', config]);
      await bench.sleep(800);
      for (let round = 0; round < 60; round++) {
        const path = `/${bench.draw.name()}/${bench.draw.int(1, 999)}`;
        await bench.talk(
          front,
          request(
            `${bench.draw.pick(['GET', 'POST', 'HEAD'])} ${path} HTTP/1.1`,
            `Host: ${bench.draw.name()}.example`,
            `User-Agent: ${bench.draw.name()}/1.0`,
          ),
          60,
        );
        if (round % 9 === 0) await bench.talk(front, 'BAD\r\n\r\n', 60);
      }
    },
  },
  {
    name: 'mosquitto',
    half: 'build',
    packages: ['mosquitto', 'mosquitto-clients'],
    needs: '/usr/sbin/mosquitto',
    async run(bench) {
      const port = await bench.port();
      const config = bench.file(
        'm.conf',
        `listener ${port} 127.0.0.1\nallow_anonymous true\nlog_dest stdout\nlog_type all\nlog_timestamp_format %Y-%m-%dT%H:%M:%S\npersistence true\npersistence_location ${bench.folder}/\nautosave_interval 2\nuser root\n`,
      );
      bench.start('/usr/sbin/mosquitto', ['-c', config, '-v']);
      await bench.sleep(500);
      const topics = bench.draw.names(8).map((name) => `site/${name}/state`);
      for (let round = 0; round < 60; round++) {
        const topic = bench.draw.pick(topics);
        const at = ['-h', '127.0.0.1', '-p', String(port), '-i', bench.draw.name(), '-t', topic];
        bench.client('mosquitto_pub', [
          ...at,
          '-m',
          bench.draw.name(),
          '-q',
          String(bench.draw.int(0, 2)),
          ...(bench.draw.chance(0.3) ? ['-r'] : []),
        ]);
        if (round % 5 === 0)
          bench.client('mosquitto_sub', [...at, '-W', '1', '-C', '1', '-q', String(bench.draw.int(0, 2))]);
        if (round % 14 === 0) await bench.talk(port, Buffer.from([0x10, 0x02, 0xff, 0xff]), 60);
      }
    },
  },
  {
    name: 'unbound',
    half: 'build',
    packages: ['unbound', 'dnsutils'],
    needs: '/usr/sbin/unbound',
    async run(bench) {
      const port = await bench.port();
      const config = bench.file(
        'u.conf',
        `server:\n  interface: 127.0.0.1\n  port: ${port}\n  username: ""\n  chroot: ""\n  directory: "${bench.folder}"\n  pidfile: "${bench.folder}/pid"\n  use-syslog: no\n  logfile: ""\n  verbosity: 3\n  do-ip6: no\n  local-zone: "example." static\n  local-data: "www.example. A 10.1.1.1"\n  log-queries: yes\n  log-replies: yes\nremote-control:\n  control-enable: no\nforward-zone:\n  name: "."\n  forward-addr: 127.0.0.1@9\n`,
      );
      bench.start('/usr/sbin/unbound', ['-d', '-p', '-c', config]);
      await bench.sleep(800);
      for (let round = 0; round < 14; round++) {
        const name = bench.draw.chance(0.4)
          ? 'www.example'
          : `${bench.draw.name()}.${bench.draw.pick(['test', 'example', 'lan'])}`;
        bench.client('dig', [
          '+tries=1',
          '+time=1',
          '@127.0.0.1',
          '-p',
          String(port),
          name,
          bench.draw.pick(['A', 'AAAA', 'MX']),
        ]);
      }
    },
  },
  {
    name: 'named',
    half: 'build',
    packages: ['bind9', 'dnsutils'],
    needs: '/usr/sbin/named',
    async run(bench) {
      const port = await bench.port();
      const zone = bench.file(
        'zone',
        `$TTL 60\n@ SOA ns. root. 1 60 60 60 60\n@ NS ns\nns A 10.1.1.1\n${bench.draw
          .names(20)
          .map((name, at) => `${name} A 10.1.2.${at}\n`)
          .join('')}bad!name A 999\n`,
      );
      const config = bench.file(
        'n.conf',
        `options { directory "${bench.folder}"; pid-file none; listen-on port ${port} { 127.0.0.1; }; listen-on-v6 { none; }; recursion yes; forwarders { 127.0.0.1 port 9; }; session-keyfile "${bench.folder}/s.key"; managed-keys-directory "${bench.folder}"; dnssec-validation no; querylog yes; };\ncontrols {};\nzone "good.example" { type master; file "${zone.replace('zone', 'good')}"; };\nzone "bad.example" { type master; file "${zone}"; };\n`,
      );
      bench.file('good', `$TTL 60\n@ SOA ns. root. 1 60 60 60 60\n@ NS ns\nns A 10.1.1.1\nwww A 10.1.1.2\n`);
      bench.start('/usr/sbin/named', ['-g', '-c', config, '-d', '1']);
      await bench.sleep(1500);
      for (let round = 0; round < 60; round++) {
        const name = `${bench.draw.pick(['www', 'ns', bench.draw.name()])}.${bench.draw.pick(['good', 'bad', 'else'])}.example`;
        bench.client('dig', [
          '+tries=1',
          '+time=1',
          '@127.0.0.1',
          '-p',
          String(port),
          name,
          bench.draw.pick(['A', 'AAAA', 'MX', 'AXFR']),
        ]);
      }
    },
  },
  {
    name: 'nsd',
    half: 'final',
    packages: ['nsd', 'dnsutils'],
    needs: '/usr/sbin/nsd',
    async run(bench) {
      const port = await bench.port();
      bench.file('z', `$ORIGIN z.example.\n$TTL 60\n@ SOA ns root 1 60 60 60 60\n@ NS ns\nns A 10.1.1.1\n`);
      bench.file('bad', `$ORIGIN b.example.\n@ SOA ns\n`);
      const names = bench.draw.names(10);
      const config = bench.file(
        'nsd.conf',
        `server:\n  ip-address: 127.0.0.1@${port}\n  username: ""\n  chroot: ""\n  zonesdir: "${bench.folder}"\n  database: ""\n  pidfile: "${bench.folder}/pid"\n  xfrdfile: "${bench.folder}/x"\n  zonelistfile: "${bench.folder}/l"\n  xfrdir: "${bench.folder}"\n  verbosity: 3\n  logfile: "${bench.log}"\nremote-control:\n  control-enable: no\nzone:\n  name: z.example\n  zonefile: z\nzone:\n  name: b.example\n  zonefile: bad\n${names.map((name) => `zone:\n  name: ${name}.example\n  zonefile: ${name}\n`).join('')}`,
      );
      bench.start('/usr/sbin/nsd', ['-d', '-c', config]);
      await bench.sleep(1500);
      for (let round = 0; round < 30; round++)
        bench.client('dig', [
          '+tries=1',
          '+time=1',
          '@127.0.0.1',
          '-p',
          String(port),
          `${bench.draw.name()}.z.example`,
          bench.draw.pick(['A', 'AXFR', 'MX']),
        ]);
    },
  },
  {
    name: 'tinyproxy',
    half: 'build',
    packages: ['tinyproxy'],
    needs: '/usr/bin/tinyproxy',
    async run(bench) {
      const port = await bench.port();
      const config = bench.file(
        't.conf',
        `Port ${port}\nListen 127.0.0.1\nTimeout 3\nLogLevel Info\nMaxClients 20\nAllow 127.0.0.1\nConnectPort 443\nFilter "${bench.file('f', 'forbidden\n')}"\n`,
      );
      bench.start('/usr/bin/tinyproxy', ['-d', '-c', config]);
      await bench.sleep(500);
      for (let round = 0; round < 60; round++) {
        const host = bench.draw.pick(['127.0.0.1:9', `${bench.draw.name()}.example`, 'forbidden.example']);
        const line = bench.draw.pick([
          `GET http://${host}/${bench.draw.name()} HTTP/1.1`,
          `CONNECT ${host.replace(/:.*/, '')}:${bench.draw.pick([443, 25])} HTTP/1.1`,
          'GARBAGE',
          `GET /${bench.draw.name()} HTTP/1.0`,
        ]);
        await bench.talk(port, request(line, `Host: ${host}`), 90);
      }
    },
  },
  {
    name: 'stunnel',
    half: 'build',
    packages: ['stunnel4', 'openssl'],
    needs: '/usr/bin/stunnel4',
    async run(bench) {
      const [port, back] = [await bench.port(), await bench.port()];
      bench.client('openssl', [
        'req',
        '-x509',
        '-newkey',
        'rsa:2048',
        '-nodes',
        '-keyout',
        join(bench.folder, 'k'),
        '-out',
        join(bench.folder, 'c'),
        '-days',
        '2',
        '-subj',
        `/CN=${bench.draw.name()}`,
      ]);
      const config = bench.file(
        's.conf',
        `foreground = yes\ndebug = 7\npid =\n[${bench.draw.name()}]\naccept = 127.0.0.1:${port}\nconnect = 127.0.0.1:${back}\ncert = ${join(bench.folder, 'c')}\nkey = ${join(bench.folder, 'k')}\n`,
      );
      bench.start('/usr/bin/stunnel4', [config]);
      await bench.sleep(600);
      for (let round = 0; round < 25; round++) {
        if (bench.draw.chance(0.4)) await bench.talk(port, `${bench.draw.name()}\r\n`, 60);
        else
          bench.client(
            'openssl',
            ['s_client', '-connect', `127.0.0.1:${port}`, ...(bench.draw.chance(0.3) ? ['-tls1_2'] : [])],
            'hello\n',
          );
      }
    },
  },
  {
    name: 'proftpd',
    half: 'build',
    packages: ['proftpd-core'],
    needs: '/usr/sbin/proftpd',
    async run(bench) {
      const port = await bench.port();
      const config = bench.file(
        'p.conf',
        `ServerName ${bench.draw.name()}\nPort ${port}\nDefaultAddress 127.0.0.1\nUser root\nGroup root\nRequireValidShell off\nDebugLevel 4\nSystemLog none\nScoreboardFile ${bench.folder}/sb\nPidFile ${bench.folder}/pid\nDefaultServer on\nUseReverseDNS off\n`,
      );
      bench.start('/usr/sbin/proftpd', ['-n', '-d', '4', '-c', config]);
      await bench.sleep(800);
      for (let round = 0; round < 20; round++) {
        const commands = Array.from({ length: 4 }, () =>
          bench.draw.pick([
            'PWD',
            'SYST',
            'LIST',
            `CWD /${bench.draw.name()}`,
            `RETR ${bench.draw.name()}`,
            `SITE ${bench.draw.name()}`,
            'NOOP',
            'HELP',
          ]),
        );
        await bench.talk(
          port,
          [
            `USER ${bench.draw.pick(['anonymous', 'root', bench.draw.name()])}`,
            `PASS ${bench.draw.name()}`,
            ...commands,
            'QUIT',
            '',
          ].join('\r\n'),
          500,
        );
      }
    },
  },
  {
    name: 'lvm',
    half: 'build',
    packages: ['lvm2'],
    needs: '/sbin/lvm',
    async run(bench) {
      mkdirSync(join(bench.folder, 'dev'), { recursive: true });
      for (const args of [
        ['pvscan'],
        ['vgscan'],
        ['lvs', '-a'],
        ['vgcreate', bench.draw.name(), `/dev/${bench.draw.name()}`],
        ['pvcreate', `/dev/${bench.draw.name()}`],
        ['lvcreate', '-L1G', bench.draw.name()],
      ])
        bench.run('/sbin/lvm', [...args, '-vvv']);
      await bench.sleep(10);
    },
  },
  {
    name: 'rsync',
    half: 'build',
    packages: ['rsync'],
    needs: '/usr/bin/rsync',
    async run(bench) {
      const port = await bench.port();
      const names = bench.draw.names(30);
      mkdirSync(join(bench.folder, 'src'), { recursive: true });
      mkdirSync(join(bench.folder, 'dst'), { recursive: true });
      for (const name of names)
        bench.file(`src/${name}.${bench.draw.pick(['txt', 'c', 'bin'])}`, name.repeat(50));
      const config = bench.file(
        'r.conf',
        `port = ${port}\naddress = 127.0.0.1\nlog file = ${bench.log}\npid file = ${bench.folder}/pid\nuse chroot = no\nuid = root\ngid = root\ntransfer logging = yes\n[data]\npath = ${bench.folder}/dst\nread only = no\n[ro]\npath = ${bench.folder}/src\n[gone]\npath = /nonexistent\n[secret]\npath = /tmp\nauth users = ${bench.draw.name()}\nsecrets file = /nonexistent\n`,
      );
      bench.start('/usr/bin/rsync', ['--daemon', '--no-detach', `--config=${config}`]);
      await bench.sleep(500);
      for (let round = 0; round < 25; round++) {
        const module = bench.draw.pick(['data', 'ro', 'gone', 'secret', bench.draw.name()]);
        const url = `rsync://127.0.0.1:${port}/${module}/`;
        const args = bench.draw.chance(0.5)
          ? [join(bench.folder, 'src/'), url]
          : [url, join(bench.folder, `out${round}/`)];
        bench.client('rsync', [
          '-a',
          '--password-file=/dev/null',
          ...(bench.draw.chance(0.3) ? ['--delete'] : []),
          ...args,
        ]);
        bench.file(`src/${bench.draw.name()}.txt`, bench.draw.name());
        if (round % 6 === 0) await bench.talk(port, 'GET / HTTP/1.0\r\n\r\n', 60);
      }
    },
  },
  {
    name: 'tor',
    half: 'build',
    packages: ['tor'],
    needs: '/usr/bin/tor',
    async run(bench) {
      for (let round = 0; round < 3; round++) {
        const port = await bench.port();
        bench.start('/usr/bin/tor', [
          '-f',
          bench.file(
            `torrc${round}`,
            `SocksPort ${port}\nDataDirectory ${bench.folder}/d${round}\nLog info stdout\nNickname ${bench.draw.name()}\n${bench.draw.pick(['', 'ExcludeNodes {??}\n', 'ReachableAddresses *:443\n'])}`,
          ),
        ]);
        await bench.sleep(1500);
        for (let ask = 0; ask < 6; ask++)
          await bench.talk(
            port,
            bench.draw.pick([
              'GET / HTTP/1.0\r\n\r\n',
              Buffer.from([5, 1, 0]),
              Buffer.from([4, 1, 0, 80, 10, 0, 0, 1, 0]),
            ]),
            60,
          );
      }
      await bench.sleep(2000);
    },
  },
  {
    name: 'freeradius',
    half: 'final',
    packages: ['freeradius', 'freeradius-utils'],
    needs: '/usr/sbin/freeradius',
    async run(bench) {
      const port = await bench.port();
      bench.client('cp', ['-r', '/etc/freeradius/3.0', join(bench.folder, 'raddb')]);
      const users = bench.draw.names(4);
      bench.file(
        'raddb/mods-config/files/authorize',
        users.map((user) => `${user} Cleartext-Password := "x"\n`).join(''),
      );
      bench.file(
        'raddb/sites-enabled/default',
        `server default {\n listen {\n type = auth\n ipaddr = 127.0.0.1\n port = ${port}\n }\n authorize {\n preprocess\n files\n pap\n }\n authenticate {\n Auth-Type PAP {\n pap\n }\n }\n}\n`,
      );
      bench.client('rm', ['-f', join(bench.folder, 'raddb/sites-enabled/inner-tunnel')]);
      bench.start('/usr/sbin/freeradius', ['-f', '-xx', '-l', 'stdout', '-d', join(bench.folder, 'raddb')]);
      await bench.sleep(2500);
      for (let round = 0; round < 15; round++)
        bench.client('radtest', [
          bench.draw.pick([...users, bench.draw.name()]),
          bench.draw.pick(['x', 'y']),
          `127.0.0.1:${port}`,
          '0',
          bench.draw.pick(['testing123', 'wrong']),
        ]);
    },
  },
];
