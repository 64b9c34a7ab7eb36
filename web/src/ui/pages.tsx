import { keepPreviousData, useInfiniteQuery, type QueryKey } from "@tanstack/react-query";
import { useMemo } from "react";

interface Part<T> {
  rows: T[];
  next: string;
}

/** A list that is asked for part by part, and how to ask for more of it. */
export interface Pages {
  hasMore: boolean;
  isFetchingMore: boolean;
  fetchMore: () => void;
}

/** Asks for a list part by part. With keep, what was there stays while another list loads. */
export function usePages<T, P extends Part<T> = Part<T>>(
  key: QueryKey,
  ask: (after: string) => Promise<P & Part<T>>,
  options: { enabled?: boolean; keep?: boolean } = {},
) {
  const list = useInfiniteQuery({
    queryKey: [...key, "pages"],
    initialPageParam: "",
    queryFn: ({ pageParam }) => ask(pageParam),
    getNextPageParam: (last) => last.next || undefined,
    enabled: options.enabled ?? true,
    placeholderData: options.keep ? keepPreviousData : undefined,
  });
  const { data: parts } = list;
  const data = useMemo(() => parts?.pages.flatMap((p) => p.rows), [parts]);
  const pages: Pages = {
    hasMore: list.hasNextPage,
    isFetchingMore: list.isFetchingNextPage,
    fetchMore: () => void list.fetchNextPage(),
  };
  return {
    data,
    /** The first part, with what else it says. */
    first: parts?.pages[0],
    pages,
    error: list.error,
    dataUpdatedAt: list.dataUpdatedAt,
    refetch: list.refetch,
    isFetching: list.isFetching,
  };
}
