import { autocompletion, closeBrackets, completionKeymap, completionStatus } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { EditorState } from '@codemirror/state';
import { EditorView, keymap, placeholder } from '@codemirror/view';
import { useEffect, useRef } from 'react';
import { complete, type Completions, expressionLanguage, problems } from './language.js';

interface Props {
  value: string;
  onSubmit: (value: string) => void;
  completions: Completions;
}

/** A line is a line: pasted line ends become spaces. */
const oneLine = EditorState.transactionFilter.of((transaction) =>
  transaction.newDoc.lines > 1 ? [] : transaction,
);

const look = EditorView.theme({
  '&': { backgroundColor: 'transparent', fontSize: '12px', color: 'var(--ink)' },
  '&.cm-focused': { outline: 'none' },
  '.cm-content': {
    fontFamily: 'var(--mono)',
    fontVariantLigatures: 'none',
    padding: '4px 0',
    caretColor: 'var(--focus)',
  },
  '.cm-line': { padding: '0' },
  '.cm-cursor': { borderLeftColor: 'var(--focus)' },
  '.cm-placeholder': { color: 'var(--ink-faint)' },
  '.cm-tooltip': {
    backgroundColor: 'var(--raised)',
    color: 'var(--ink)',
    border: '1px solid var(--rule)',
    fontSize: '12px',
  },
  '.cm-tooltip-autocomplete > ul > li[aria-selected]': {
    backgroundColor: 'var(--focus)',
    color: 'var(--ground)',
  },
  '.cm-completionIcon': { display: 'none' },
  '.cm-completionDetail': { color: 'inherit', opacity: '0.75', fontStyle: 'normal', marginLeft: '12px' },
  '.cm-diagnostic-error': { borderLeft: '3px solid var(--error)' },
});

/** The editor of the expression, with colours, completion and the first error marked. */
export default function ScopeEditor({ value, onSubmit, completions }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const latest = useRef({ onSubmit, completions });
  useEffect(() => {
    latest.current = { onSubmit, completions };
  });

  useEffect(() => {
    const submit = (editor: EditorView): boolean => {
      if (completionStatus(editor.state) === 'active') return false;
      latest.current.onSubmit(editor.state.doc.toString());
      return true;
    };
    const editor = new EditorView({
      parent: host.current!,
      state: EditorState.create({
        extensions: [
          keymap.of([
            { key: 'Enter', run: submit },
            { key: 'Escape', run: (own) => (own.contentDOM.blur(), false) },
          ]),
          autocompletion({
            override: [(context) => complete(context, latest.current.completions)],
            icons: false,
          }),
          keymap.of([...completionKeymap, ...historyKeymap, ...defaultKeymap]),
          history(),
          closeBrackets(),
          expressionLanguage,
          problems,
          oneLine,
          placeholder('All records. Narrow: level >= warn and "some text"'),
          EditorView.contentAttributes.of({ 'aria-label': 'Scope', 'data-testid': 'scope' }),
          look,
        ],
      }),
    });
    view.current = editor;
    return () => editor.destroy();
  }, []);

  useEffect(() => {
    const editor = view.current;
    if (!editor || editor.state.doc.toString() === value) return;
    editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: value } });
  }, [value]);

  return <div ref={host} />;
}
