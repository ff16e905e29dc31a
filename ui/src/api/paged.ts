import { useInfiniteQuery } from '@tanstack/react-query';

/** A list that comes in pages, the latest first: what is loaded of it, and how to load what came before. */
export function usePaged<T>(key: readonly unknown[], size: number, page: (skip: number) => Promise<T[]>, on = true) {
  const query = useInfiniteQuery({
    queryKey: key,
    enabled: on,
    initialPageParam: 0,
    queryFn: ({ pageParam }) => page(pageParam),
    getNextPageParam: (last, all) => (last.length < size ? undefined : all.reduce((n, p) => n + p.length, 0)),
  });
  return { ...query, data: query.data?.pages.flat() };
}
