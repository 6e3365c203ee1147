/** What is asked for. */
export type Asks =
  | 'which go wrong'
  | 'which are most'
  | 'how many'
  | 'first'
  | 'last'
  | 'moved'
  | 'changed'
  | 'new'
  | 'apart'
  | 'why'
  | 'slowest'
  | 'stuck'
  | 'show';

/** What it is asked of. */
export type AskedOf = 'requests' | 'runs' | 'records';

interface Cue {
  asks: Asks;
  /** All of these have to be in the sentence. */
  words: RegExp[];
}

export const FAIL =
  /^(fail(s|ed|ing|ures?)?|errors?|broken?|breaks?|wrong|bad(ly)?|unsuccessful(ly)?|crash(es|ed|ing)?)$/;
export const REFUSED = /^(refus(e|es|ed|al|als)|reject(s|ed|ions?)?|denied)$/;
export const SLOW = /^(slow(er|est|ly)?|latency|latencies|long(er|est)?|duration|durations|takes?)$/;

export const WRONG_WORDS = { failed: FAIL, refused: REFUSED, slow: SLOW } as const;

/** In this order: the first whose words are all there is what is asked for. */
export const CUES: Cue[] = [
  { asks: 'stuck', words: [/^(stuck|hang(s|ing)?|hung|frozen)$/] },
  {
    asks: 'moved',
    words: [/^(moved?|moves|moving|spik(e|es|ed|ing)|origin|deviat(e|es|ed|ing|ions?)|onsets?)$/],
  },
  { asks: 'moved', words: [/^when$/, /^(start(s|ed)?|beg[aiu]ns?)$/, FAIL] },
  {
    asks: 'changed',
    words: [
      /^(chang(e|es|ed|ing)|deploy(s|ed|ments?)?|releas(e|es|ed)|rollouts?|configured|restart(s|ed)?)$/,
    ],
  },
  {
    asks: 'apart',
    words: [/^(common|apart|separat(e|es|ed)|distinguish(es|ed)?|differ(s|ent|ence|ences)?|signatures?)$/],
  },
  { asks: 'why', words: [/^(why|causes?|caused|reasons?|investigate|explain)$/] },
  { asks: 'first', words: [/^(first|earliest|begin|began|begun|starts?|started)$/] },
  { asks: 'first', words: [/^since$/, /^when$/] },
  { asks: 'last', words: [/^(last|latest|stop|stopped|ended?)$/] },
  { asks: 'how many', words: [/^how$/, /^(many|often|much)$/] },
  { asks: 'how many', words: [/^(count|number)$/] },
  { asks: 'new', words: [/^(new|novel|unusual|unseen|strange|odd)$/] },
  { asks: 'show', words: [/^(show|find|list|search|see|lines?|logs?|records?|messages?)$/] },
];

export const OF: [of: AskedOf, words: RegExp][] = [
  ['runs', /^(runs?|jobs?|batch(es)?|scheduled)$/],
  ['requests', /^(requests?|calls?|traces?|operations?|routes?|endpoints?)$/],
  ['records', /^(lines?|logs?|logged|records?|messages?|warnings?|stack)$/],
];

/** Words that only go with what is asked for: the verb of "when did … first appear". */
const COMING = /^(appear(s|ed)?|seen|see|occur(s|red)?|come|came|logged|written|show|up)$/;
export const BESIDE: Partial<Record<Asks, RegExp>> = {
  first: COMING,
  last: COMING,
  'how many': COMING,
  apart: /^(sets?|healthy|well|good|others|have)$/,
  why: /^(healthy|well|good)$/,
  moved: /^(first|before|after|with|since|when)$/,
  changed: /^(first|before|after|since)$/,
  new: /^(anything|something|patterns?|kinds?)$/,
};
export const NOTHING = /^$/;
/** Words that point at what was asked before. */
export const POINTING = /^(they|them|those|these|that|it|there)$/;
