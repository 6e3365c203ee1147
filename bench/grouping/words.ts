const list = (text: string): string[] => text.trim().split(/\s+/);

/** Plain words of the kind that programs say, none of them of any one product. */
export const NOUNS = list(`
  connection session request response handler worker queue buffer cache index table record batch stream channel
  message packet frame token certificate key lock lease node peer replica leader follower partition offset cursor
  snapshot checkpoint journal segment block page row column schema migration transaction commit rollback timeout
  deadline retry backoff circuit breaker pool thread process job task schedule timer event listener callback hook
  plugin module service endpoint route gateway proxy balancer resolver socket port address host domain zone region
  cluster quorum election heartbeat probe metric gauge counter histogram sample trace span report alert rule policy
  quota limit budget rate window interval period payload header body cookie parameter argument option flag setting
  profile account user group role permission grant credential password secret invoice order payment refund basket
  shipment parcel ticket booking customer template document image archive folder file volume disk device driver
  sensor controller firmware kernel container image registry manifest layer bundle artifact build release rollout`);

export const DONE = list(`
  accepted rejected opened closed started stopped created deleted updated replaced loaded saved flushed evicted
  refreshed renewed revoked granted denied scheduled cancelled completed aborted resumed paused queued dequeued sent
  received acknowledged dropped merged split moved copied verified validated signed encrypted compressed expanded
  allocated released attached detached mounted registered promoted demoted elected synchronised restored committed
  rolled parsed compiled resolved dispatched throttled delayed skipped ignored forwarded mirrored indexed archived`);

export const DOING = list(`
  accepting opening closing starting stopping creating deleting updating replacing loading saving flushing evicting
  refreshing renewing revoking scheduling cancelling resuming sending receiving dropping merging moving copying
  verifying signing allocating releasing attaching mounting registering promoting electing restoring parsing
  resolving dispatching throttling skipping forwarding indexing archiving rebalancing draining warming probing`);

export const HOW = list(`
  successfully partially slowly unexpectedly gracefully immediately twice again concurrently automatically manually
  early late internally remotely locally permanently temporarily`);

export const KINDS = list(`
  stale expired invalid duplicate missing unknown primary secondary remote local pending active idle orphaned partial
  temporary shared private public nested empty corrupt slow oversized unsigned foreign broken default legacy`);

export const FIRST_NAMES = list(`
  alma bruno clara dario edda felix gina hugo ines jonas karla leo mara nils olga pablo quinn rosa sven tilda ugo
  vera willem xenia yusuf zora arne bea cem dora emil fenna gero hanne ivo jule kilian lotte milo nora otto pia
  ruben selma theo ulla viktor wanda yara zeno`);

const SYLLABLES = list(
  'ba be bi bo bu da de di do fa fe fi ga go ka ke ki ko la le li lo ma me mi mo na ne ni no pa pe po ra re ri ro sa se si so ta te ti to va ve vi vo za ze',
);

/** A made-up word for names of people, hosts and things. */
export const madeUp = (pick: <T>(of: readonly T[]) => T, syllables: number): string =>
  Array.from({ length: syllables }, () => pick(SYLLABLES)).join('');
