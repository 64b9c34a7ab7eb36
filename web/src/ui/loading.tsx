import type { ReactNode } from "react";
import { Empty, Quiet, Skeleton, Trouble } from "./parts";
import { sayClock } from "./say";

/** What a list or a figure is asked for with. */
export interface Asked<T> {
  data: T | undefined;
  error: unknown;
  dataUpdatedAt: number;
  refetch: () => unknown;
}

/**
 * What is asked for, in each of its states: on its way, in trouble, empty, there, or there and not up to date. It never
 * looks empty while nobody knows whether it is.
 */
export function Loading<T>({
  of,
  lines,
  none,
  empty,
  children,
}: {
  of: Asked<T>;
  /** How many lines it will have, about. */
  lines?: number;
  none?: (data: T) => boolean;
  /** What would be here, and how it gets here. */
  empty?: ReactNode;
  children: (data: T) => ReactNode;
}) {
  const again = <Quiet onClick={() => of.refetch()}>Retry</Quiet>;
  if (of.data === undefined)
    return of.error ? (
      <div className="grid justify-items-start gap-2 p-3.5">
        <Trouble error={of.error} />
        {again}
      </div>
    ) : (
      <Skeleton lines={lines} />
    );
  return (
    <>
      {!!of.error && (
        <p role="status" className="bg-amber-100 px-3.5 py-1.5 text-sm text-amber-700">
          As of {sayClock(new Date(of.dataUpdatedAt).toISOString())}; could not be refreshed. {again}
        </p>
      )}
      {none?.(of.data) ? <Empty>{empty}</Empty> : children(of.data)}
    </>
  );
}
