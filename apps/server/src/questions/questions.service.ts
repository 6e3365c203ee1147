import type { QuestionAnswer } from '@flail/contract';
import type { Window } from '@flail/core';
import { narrow } from '@flail/core/expression';
import {
  expressionOf,
  readingText,
  understand,
  type Understood,
  type Vocabulary,
} from '@flail/core/questions';
import { momentText } from '@flail/core/time';
import { Injectable } from '@nestjs/common';
import type { Asked } from '../query/planner.js';
import { RecordStore } from '../store/record-store.js';
import { AnswersService } from './answers.service.js';
import { VocabularyService } from './vocabulary.service.js';

/** Reads questions in plain words, and has them answered. */
@Injectable()
export class QuestionsService {
  constructor(
    private readonly store: RecordStore,
    private readonly vocabularies: VocabularyService,
    private readonly answers: AnswersService,
  ) {}

  async answer(asked: Asked, question: string, earlier: readonly string[]): Promise<QuestionAnswer> {
    const vocabulary = await this.vocabularies.vocabulary(asked);
    const held = this.store.shown(asked.dataset);
    const now = Math.min(Date.now(), held ? held.to / 1000 : Infinity);
    let before: Understood | undefined;
    for (const one of earlier) before = understand(one, vocabulary, now, before).understood ?? before;
    const { understood, unread } = understand(question, vocabulary, now, before);
    const suggestions = suggestionsOf(vocabulary);
    if (!understood) return { unread, parts: [], suggestions };
    const own = this.windowed(asked, understood);
    return {
      understood: {
        sentence: readingText(understood),
        expression: expressionOf(understood),
        window: { from: momentText(own.window.from), to: momentText(own.window.to) },
        carried: understood.carried,
      },
      unread,
      parts: await this.answers.parts(own, understood),
      suggestions,
    };
  }

  /** The windows and the filter of a question; first and last of something are looked for in all that is held. */
  private windowed(asked: Asked, { asks, window, terms }: Understood): Asked {
    const scope = terms.reduce((expression, term) => narrow(expression, term), asked.scope);
    const held = this.store.shown(asked.dataset);
    const everywhere = window === undefined && (asks === 'first' || asks === 'last') && held;
    if (!window && !everywhere) return { ...asked, scope };
    const own: Window = everywhere
      ? { from: held.from, to: held.to + 1 }
      : this.store.shownPart(asked.dataset, { from: window!.from * 1000, to: window!.to * 1000 });
    const length = own.to - own.from;
    return { ...asked, scope, window: own, baseline: { from: own.from - length, to: own.from } };
  }
}

/** Questions that fit what is held. */
function suggestionsOf({ fields, parameters, services }: Vocabulary): string[] {
  const naming = parameters.find((one) => fields.includes(one)) ?? fields.find((one) => one === 'site');
  return [
    'what moved first?',
    'what changed in the last hour?',
    ...(naming === undefined ? [] : [`which ${naming} fails most since yesterday?`]),
    'what do the failing requests have in common?',
    ...(services[0] === undefined ? [] : [`what is new in the logs of ${services[0]}?`]),
    'when did "…" first appear?',
    'is any run stuck?',
  ];
}
