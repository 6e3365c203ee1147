import type { LogRecord, ProgressBody, ReadBody, SearchNews } from '@flail/contract';
import { keepPreviousData, useInfiniteQuery } from '@tanstack/react-query';
import { useMemo, useState } from 'react';
import { api } from '../api/client.js';
import { useHeldMark } from '../api/queries.js';

const PAGE = 200;

/** What a search has told before its answer. */
interface SoFar {
  /** The question that it was asked. */
  of: string;
  records: readonly LogRecord[];
  matched: number;
  progress?: ProgressBody;
}

const nothingOf = (question: string): SoFar => ({ of: question, records: [], matched: 0 });

const withNews = (before: SoFar, news: SearchNews): SoFar =>
  'records' in news
    ? { ...before, records: [...before.records.slice(0, news.from), ...news.records] }
    : { ...before, matched: news.matched, progress: { done: news.done, total: news.total } };

/** The records of a focus, page by page; of the first page what is certain, before all has been looked through. */
export function useLogs(body: ReadBody, order: string) {
  const mark = useHeldMark();
  const question = JSON.stringify([body, order, mark]);
  const [told, setTold] = useState(nothingOf(''));
  const query = useInfiniteQuery({
    queryKey: ['logs', body, order, mark],
    queryFn: ({ signal, pageParam }) => {
      const page = { ...body, order: order as 'newest', limit: PAGE };
      if (pageParam !== '') return api.logs({ ...page, cursor: pageParam }, signal);
      setTold(nothingOf(question));
      const tell = (news: SearchNews): void => {
        if (!signal.aborted) setTold((before) => withNews(before, news));
      };
      return api.logsTold(page, tell, signal);
    },
    initialPageParam: '',
    getNextPageParam: (page) => page.cursor,
    placeholderData: keepPreviousData,
  });
  const { data, isPlaceholderData, isFetching } = query;
  const answered = data !== undefined && !isPlaceholderData;
  const isOfThis = isFetching && told.of === question;
  /** What is known of an answer that is under way, once there is something to read. */
  const soFar = !answered && isOfThis && told.records.length > 0 ? told : undefined;
  const records = useMemo(
    () => soFar?.records ?? data?.pages.flatMap((page) => page.records) ?? [],
    [soFar, data],
  );
  return { ...query, records, soFar, progress: isOfThis ? told.progress : undefined };
}
