import { groupsOf, inLadderOrder, kindOf, type Moved, movedAfter, originsOf } from './ladder.js';

const moved = (service: string, measure: string, onset: number, more: Partial<Moved> = {}): Moved => ({
  id: `${service} ${measure} ${more.member ?? ''}`,
  drawn: { of: 'metric', metric: measure, labels: { service }, aggregate: 'avg' },
  measure,
  kind: 'saturation',
  unit: '1',
  service,
  member: '',
  deviation: { side: 'above', onset, within: 60, end: 4000, goesOn: true, value: 10, usual: 2, spreads: 20 },
  ...more,
});

describe('the ladder', () => {
  it('groups members of a measure, and begins with what began first', () => {
    const groups = groupsOf([
      moved('planner', 'duration', 300),
      moved('lease', 'queue', 180, { member: 'lease-2' }),
      moved('lease', 'queue', 120, { member: 'lease-1' }),
      moved('store', 'operations', 60),
    ]);
    expect(
      groups.map(({ service, measure, onset, members }) => [service, measure, onset, members.length]),
    ).toEqual([
      ['store', 'operations', 60, 1],
      ['lease', 'queue', 120, 2],
      ['planner', 'duration', 300, 1],
    ]);
    expect(groups[1]!.members.map(({ member }) => member)).toEqual(['lease-1', 'lease-2']);
    expect(groupsOf([])).toEqual([]);
  });

  it('keeps what rose apart from what fell', () => {
    const fell = moved('edge', 'rate', 60);
    const groups = groupsOf([
      fell,
      { ...fell, member: 'b', deviation: { ...fell.deviation, side: 'below' } },
    ]);
    expect(groups).toHaveLength(2);
  });

  it.each([
    ['process.cpu.utilization', '1', 'gauge', 'saturation'],
    ['queue.depth', '{request}', 'gauge', 'saturation'],
    ['store.operations', '{operation}', 'rate', 'load'],
    ['server.request.duration', 's', 'percentile', 'latency'],
    ['GET /a: share that fails', 'share', 'share', 'errors'],
    ['probe.success', '1', 'gauge', 'availability'],
    ['messages.rejected', '1', 'rate', 'errors'],
    ['boardings', '{passenger}', 'rate', 'load'],
  ] as const)('%s in %s is %s: %s', (measure, unit, figure, kind) => {
    expect(kindOf(measure, unit, figure)).toBe(kind);
  });
});

describe('candidates for the origin', () => {
  const groups = groupsOf([
    moved('store', 'operations', 60, { kind: 'load' }),
    moved('lease', 'queue', 240),
    moved('planner', 'duration', 400, { kind: 'latency' }),
    moved('edge', 'share that fails', 480, { kind: 'errors' }),
  ]);
  const calls = [
    { from: 'edge', to: 'planner' },
    { from: 'planner', to: 'lease' },
    { from: 'lease', to: 'store' },
  ];

  it('are led by what began first and is depended on', () => {
    const origins = originsOf(groups, calls, []);
    expect(origins.map(({ group }) => groups[group]!.service)).toEqual(['store', 'lease', 'planner', 'edge']);
    expect(origins[0]!.reasons).toEqual([
      { for: true, text: 'nothing moved before it' },
      { for: true, text: 'lease, planner, edge, which depend on it, moved no sooner' },
    ]);
    expect(origins[3]!.reasons).toEqual([
      { for: false, text: '3 of 4 moved before it' },
      { for: false, text: 'it depends on store, lease, planner, which moved earlier' },
    ]);
  });

  it('are not told by the time of what is measured so seldom that its onset is not known', () => {
    const seldom = moved('edge', 'duration', 30, { kind: 'latency' });
    const vague = { ...seldom, deviation: { ...seldom.deviation, within: 780 } };
    const own = groupsOf([
      vague,
      moved('store', 'sessions', 60, { kind: 'saturation' }),
      moved('lease', 'queue', 2000),
    ]);
    const origins = originsOf(own, [{ from: 'edge', to: 'store' }], []);
    expect(origins.map(({ group, role }) => [own[group]!.service, role])).toEqual([
      ['store', 'likely origin'],
      ['edge', 'open'],
      ['lease', 'open'],
    ]);
    expect(origins[1]!.reasons).toContainEqual({
      for: false,
      text: 'it is measured so seldom that its onset is told only within 13 min',
    });
  });

  it('are spoken for by a change of theirs close before, not by one long ago or of another', () => {
    const change = (service: string, at: number) => ({
      id: service,
      service,
      at,
      title: `${service} changed`,
    });
    const reasons = (changes: Parameters<typeof originsOf>[2]) =>
      originsOf(groups, calls, changes).find(({ group }) => groups[group]!.service === 'lease')!.reasons;
    expect(reasons([change('lease', 120)])).toContainEqual({
      for: true,
      text: 'lease changed, 2 min before',
    });
    expect(
      reasons([change('lease', -1200), change('elsewhere', 120)]).some(({ text }) =>
        text.includes('changed'),
      ),
    ).toBe(false);
    // A change shows first at what is called.
    expect(originsOf(groups, calls, [change('lease', 30)])[0]!.reasons).toContainEqual({
      for: true,
      text: 'lease, which calls it, was changed: lease changed',
    });
  });

  it('say what was pushed by its callers or by what it calls, and what that is open of', () => {
    const pushed = groupsOf([
      moved('sender', 'retries', 0),
      moved('sender', 'lines', 30),
      moved('database', 'sessions', 1800),
      moved('elsewhere', 'heat', 1900),
    ]);
    const found = originsOf(pushed, [{ from: 'sender', to: 'database' }], []);
    const roleOf = (service: string) => found.find(({ group }) => pushed[group]!.service === service)!;
    expect(roleOf('sender').role).toBe('likely origin');
    expect(roleOf('elsewhere').role).toBe('open');
    expect(roleOf('database').role).toBe('consequence');
    expect(roleOf('database').reasons).toContainEqual({
      for: false,
      text: 'sender, which calls it, moved earlier',
    });
  });

  it('say of more load that nobody suffers from that it comes down from who calls', () => {
    const pushed = groupsOf([
      moved('database', 'sessions', 0),
      moved('sender', 'lines', 20, { kind: 'volume' }),
      moved('database', 'refused', 1800, { kind: 'errors' }),
    ]);
    const calls = [{ from: 'sender', to: 'database' }];
    const roles = (groups: typeof pushed) =>
      originsOf(groups, calls, []).map(({ group, role }) => `${groups[group]!.measure}: ${role}`);
    expect(roles(pushed)).toEqual(['lines: likely origin', 'sessions: consequence', 'refused: consequence']);
    // Where who depends on it gets slower with it, it may be at fault itself.
    const slow = groupsOf([
      moved('database', 'sessions', 0),
      moved('sender', 'time', 20, { kind: 'latency' }),
    ]);
    expect(roles(slow)[0]).not.toBe('sessions: consequence');
  });

  it.each([240, 960])('say so where somebody was slow %d seconds before', (later) => {
    const own = groupsOf([
      moved('edge', 'duration', 0, { kind: 'latency' }),
      moved('ledger', 'sessions', later, { kind: 'saturation' }),
      moved('sender', 'lines', later + 10, { kind: 'volume' }),
    ]);
    const callers = [
      { from: 'edge', to: 'ledger' },
      { from: 'edge', to: 'sender' },
      { from: 'sender', to: 'ledger' },
    ];
    const { groups: ordered } = inLadderOrder(own, originsOf(own, callers, []));
    expect(ordered.map(({ service }) => service)).toEqual(['edge', 'sender', 'ledger']);
  });

  it('put in order what began within the same minute', () => {
    const near = groupsOf([
      moved('edge', 'latency', 0, { kind: 'latency' }),
      moved('nest', 'queue', 20),
      moved('edge', 'errors', 90, { kind: 'errors' }),
    ]);
    const origins = originsOf(
      near,
      [{ from: 'edge', to: 'nest' }],
      [{ id: 'c', at: -30, service: 'nest', title: 't' }],
    );
    const ladder = inLadderOrder(near, origins);
    expect(ladder.groups.map(({ measure }) => measure)).toEqual(['queue', 'latency', 'errors']);
    expect(ladder.origins.map(({ group }) => ladder.groups[group]!.measure)).toEqual(
      origins.map(({ group }) => near[group]!.measure),
    );
  });

  it('put in order by time what time tells apart, whatever is likelier', () => {
    const within = (one: Moved, seconds: number): Moved => ({
      ...one,
      deviation: { ...one.deviation, within: seconds },
    });
    // Two first lines are told to ten seconds; a gauge that is read once a minute is told from neither.
    const found = groupsOf([
      within(moved('edge', 'refused', 30, { kind: 'errors' }), 10),
      within(moved('nest', 'lease lost', 0, { kind: 'volume' }), 10),
      moved('nest', 'queue', 50),
      moved('far', 'heat', 200),
    ]);
    const calls = [{ from: 'edge', to: 'nest' }];
    const ladder = inLadderOrder(found, originsOf(found, calls, []));
    expect(ladder.groups.map(({ measure }) => measure)).toEqual(['lease lost', 'queue', 'refused', 'heat']);
    // The other way round the lines of who is called come later for sure.
    const turned = inLadderOrder(
      found,
      found.map((_, at) => ({ group: 3 - at, score: at, role: 'open', reasons: [] })),
    );
    expect(turned.groups.map(({ measure }) => measure)).toEqual(['queue', 'lease lost', 'refused', 'heat']);
  });

  it('are not what climbs for long and has not come to its limit', () => {
    const climb = moved('store', 'connections', -9000, {
      deviation: {
        side: 'above',
        onset: -9000,
        within: 600,
        end: 4000,
        goesOn: true,
        value: 200,
        usual: 20,
        spreads: 50,
        limitIn: 5000,
      },
    });
    const found = groupsOf([climb, moved('store', 'operations', 60), moved('edge', 'errors', 480)]);
    const origins = originsOf(found, calls, []);
    const of = (measure: string) => origins.find(({ group }) => found[group]!.measure === measure)!;
    expect(origins.indexOf(of('operations'))).toBe(0);
    expect(origins[0]).toMatchObject({ role: 'likely origin' });
    expect(of('connections').role).toBe('open');
    expect(of('connections').reasons).toContainEqual({
      for: false,
      text: 'it climbed for long before the others moved, and had not come to its limit',
    });
  });

  it('tell what moved first after a change that may have to do with it', () => {
    const calls = [{ from: 'edge', to: 'nest' }];
    const found = groupsOf([moved('edge', 'latency', 300), moved('other', 'heat', 10)]);
    const change = { id: 'c', at: 60, service: 'nest', title: 't' };
    expect(movedAfter(change, found, calls)).toEqual({ group: 1, seconds: 240 });
    expect(movedAfter({ ...change, service: 'far' }, found, calls)).toBeUndefined();
    expect(movedAfter({ ...change, at: -3600 }, found, calls)).toBeUndefined();
  });

  it('follow the evidence where latency moves first', () => {
    const other = groupsOf([
      moved('planner', 'duration', 60, { kind: 'latency' }),
      moved('store', 'operations', 400, { kind: 'load' }),
      moved('edge', 'share that fails', 500, { kind: 'errors' }),
    ]);
    expect(originsOf(other, calls, [])[0]!.group).toBe(0);
    expect(originsOf([], calls, [])).toEqual([]);
  });
});
