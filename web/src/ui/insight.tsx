import { useEffect, useRef, type ReactNode } from "react";

/** What somebody asked to see comes into sight where it stands, so that nobody has to look for it. */
export function InSight({ of, children }: { of: unknown; children: ReactNode }) {
  const here = useRef<HTMLDivElement>(null);
  useEffect(() => {
    here.current?.scrollIntoView({ block: "nearest" }); // it may give a promise, which is no way to clean up
  }, [of]);
  return <div ref={here}>{children}</div>;
}

/** What opens takes the focus to its first field, and comes into sight: the area to give it to. */
export function useFirstFocus(open: boolean) {
  const area = useRef<HTMLDivElement>(null);
  useEffect(() => {
    if (!open) return;
    area.current?.scrollIntoView({ block: "nearest" });
    area.current?.querySelector<HTMLElement>("input, select, textarea, button")?.focus();
  }, [open]);
  return area;
}
