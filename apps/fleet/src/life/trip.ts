import { PAYLOAD_COST } from '../world/emission.js';
import { type Instance, INSTANCES, serviceNamed } from '../world/company.js';
import { access, type Fields, type Level, type Line, say } from '../world/line.js';
import type { Random } from '../world/random.js';
import type { Attributes, Span } from '../world/signals.js';

/** One passenger's request on its way through the services: what is done is said, and recorded as spans. */
export class Trip {
  readonly lines: Line[] = [];
  readonly spans: Span[] = [];
  readonly trace: string;

  constructor(
    /** Milliseconds since 1970. */
    readonly at: number,
    readonly random: Random,
    /** What practitioners would group by; on the first span and on those of the services. */
    readonly attributes: Attributes,
    /** Services that record what they are asked. */
    readonly recording: ReadonlySet<string> = new Set(),
  ) {
    this.trace = random.hex(32);
  }

  /** Begins at the edge. */
  open(method: string, route: string, path: string): Stage {
    const stage = new Stage(this, 'gate-edge', `${method} ${route}`, this.at);
    Object.assign(stage.attributes, {
      'http.request.method': method,
      'http.route': route,
      'url.path': path,
      ...this.attributes,
    });
    return stage;
  }

  /** Whether anything went wrong. */
  get failed(): boolean {
    return this.spans.some(({ failure }) => failure !== undefined);
  }

  /** Time that the whole took. */
  get took(): number {
    return this.spans.find(({ parent }) => parent === undefined)?.took ?? 0;
  }
}

/** What one instance does for a request. Its clock goes on as it works, and as others work for it. */
export class Stage {
  readonly id: string;
  readonly from: Instance;
  readonly attributes: Attributes = {};
  readonly events: Span['events'] = [];
  failure: string | undefined;
  /** Where its clock stands. */
  now: number;

  constructor(
    readonly trip: Trip,
    service: string,
    private readonly name: string,
    private readonly start: number,
    private readonly parent?: Stage,
    from?: Instance,
  ) {
    this.id = trip.random.hex(16);
    this.from = from ?? trip.random.pick(INSTANCES.get(service)!);
    this.now = start;
  }

  /** Works for so many milliseconds. */
  work(milliseconds: number): void {
    this.now += milliseconds;
  }

  /** Asks another service, which begins now. */
  call(service: string, name: string, from?: Instance): Stage {
    return new Stage(this.trip, service, name, this.now + 0.4, this, from);
  }

  /** Asks a database or lease store, which records no spans of its own. */
  query(system: string, server: string, statement: string, milliseconds: number, failure?: string): void {
    this.trip.spans.push({
      from: this.from,
      trace: this.trip.trace,
      id: this.trip.random.hex(16),
      parent: this.id,
      name: statement.split(' ', 1)[0]!,
      kind: 'client',
      at: this.now,
      took: milliseconds,
      ...(failure !== undefined && { failure }),
      attributes: {
        'db.system.name': system,
        'db.query.text': statement,
        'server.address': `${server}-1`,
        'peer.service': server,
      },
      events: [],
    });
    this.now += milliseconds + 0.1;
  }

  say(level: Level, text: string, fields: Fields = {}): void {
    const { speech } = serviceNamed(this.from.service);
    const own = speech === 'plain' ? fields : { ...fields, trace: this.trip.trace, span: this.id };
    this.trip.lines.push(say(this.from, this.now, level, text, own));
  }

  /** Notes what went wrong, with where in its own code. */
  fail(message: string, thrown?: { type: string; stack: string }): void {
    this.failure = message;
    if (thrown)
      this.events.push({
        name: 'exception',
        at: this.now,
        attributes: {
          'exception.type': thrown.type,
          'exception.message': message,
          'exception.stacktrace': thrown.stack,
        },
      });
  }

  /** Is done; whoever asked goes on from here. Returns how long it took. */
  end(): number {
    const { trip, parent } = this;
    if (trip.recording.has(this.from.service)) {
      this.work(PAYLOAD_COST);
      this.attributes['request.body'] = JSON.stringify({ ...trip.attributes, ...this.attributes });
    }
    const took = this.now - this.start;
    trip.spans.push({
      from: this.from,
      trace: trip.trace,
      id: this.id,
      ...(parent && { parent: parent.id }),
      name: this.name,
      kind: 'server',
      at: this.start,
      took,
      ...(this.failure !== undefined && { failure: this.failure }),
      attributes: {
        ...this.attributes,
        'service.version': serviceNamed(this.from.service).version,
      },
      events: this.events,
    });
    if (parent) parent.now = Math.max(parent.now, this.now + 0.4);
    return took;
  }

  /** Answers the client, and writes it to the access log. */
  answer(status: number, client: string, agent: string): void {
    const [method, route] = this.name.split(' ') as [string, string];
    const path = String(this.attributes['url.path'] ?? route);
    this.attributes['http.response.status_code'] = status;
    if (status >= 500) this.failure ??= String(status);
    const bytes = status >= 500 ? 97 : this.trip.random.whole(1800) + 120;
    this.end();
    this.trip.lines.push(access(this.from, this.now, { method, path, status, bytes, client, agent }));
  }
}
