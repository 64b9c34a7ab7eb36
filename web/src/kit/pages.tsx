import { useInfiniteQuery } from "@tanstack/react-query";
import { Quiet } from "./parts";

interface Part<T> {
  rows?: T[];
  next: string;
}

/** A list that is asked for part by part: what has come so far, and a button for more where there is more. */
export function usePages<T>(
  key: unknown[],
  ask: (after: string) => Promise<Part<T>>,
  options: { enabled?: boolean; refetchInterval?: number } = {},
) {
  const list = useInfiniteQuery({
    queryKey: [...key, "pages"],
    initialPageParam: "",
    queryFn: ({ pageParam }) => ask(pageParam),
    getNextPageParam: (last) => last.next || undefined,
    ...options,
  });
  const rows = list.data?.pages.flatMap((p) => p.rows ?? []);
  return {
    rows,
    error: list.error,
    isPending: list.isPending,
    isFetching: list.isFetching,
    /** There is more than the rows so far. */
    hasMore: list.hasNextPage,
    more: list.hasNextPage && (
      <p className="border-t border-line px-3.5 py-2.5 text-sm text-ink-2">
        {rows?.length} shown, and there are more.{" "}
        <Quiet onClick={() => void list.fetchNextPage()}>{list.isFetchingNextPage ? "Loading …" : "Show more"}</Quiet>
      </p>
    ),
  };
}
