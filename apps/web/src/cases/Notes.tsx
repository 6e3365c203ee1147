import type { CaseContents } from '@flail/contract';
import { Textarea } from '@mantine/core';
import { lazy, Suspense, useState } from 'react';
import classes from './cases.module.css';

const Markdown = lazy(() => import('react-markdown'));

/** What people have to say of a case, in Markdown. */
export function Notes({ contents, onChange }: { contents: CaseContents; onChange: (next: string) => void }) {
  const [writing, setWriting] = useState(contents.notes === '');
  return writing ? (
    <>
      <Textarea
        autosize
        minRows={8}
        aria-label="Notes, in Markdown"
        placeholder="Markdown"
        defaultValue={contents.notes}
        onBlur={({ currentTarget }) => {
          if (currentTarget.value !== contents.notes) onChange(currentTarget.value);
          setWriting(currentTarget.value.trim() === '');
        }}
      />
      <p className="soft">They are kept when you leave the field.</p>
    </>
  ) : (
    <div className={classes.notes}>
      <button type="button" className="word" onClick={() => setWriting(true)}>
        write
      </button>
      <Suspense fallback={null}>
        <Markdown>{contents.notes}</Markdown>
      </Suspense>
    </div>
  );
}
