import type { OnsetsSearchAnswer } from '@flail/contract';

/** What speaks for and against a candidate, as items of a list. */
export const Reasons = ({ reasons }: { reasons: OnsetsSearchAnswer['origins'][number]['reasons'] }) =>
  reasons.map(({ for: speaks, text }) => (
    <li key={text} data-for={speaks}>
      <b>{speaks ? 'for' : 'against'}</b> {text}
    </li>
  ));
