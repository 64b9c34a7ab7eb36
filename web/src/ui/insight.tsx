import { useEffect, useRef, type ReactNode } from "react";

/** What somebody asked to see comes into sight where it stands, so that nobody has to look for it. */
export function InSight({ of, children }: { of: unknown; children: ReactNode }) {
  const here = useRef<HTMLDivElement>(null);
  useEffect(() => {
    here.current?.scrollIntoView({ block: "nearest" }); // it may give a promise, which is no way to clean up
  }, [of]);
  return <div ref={here}>{children}</div>;
}
