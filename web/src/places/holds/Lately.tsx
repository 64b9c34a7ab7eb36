import { useStore } from "zustand";
import { Quiet, Tag, Trouble } from "../../ui/parts";
import { cancelled, changed, useChangeBack, useRevive } from "./cancel";

/** What was cancelled or changed last, to be undone. */
export function Lately() {
  const { holds } = useStore(cancelled);
  const { holds: others } = useStore(changed);
  if (holds.length + others.length === 0) return null;
  return (
    <div className="grid gap-1.5 px-3 py-2 print:hidden">
      {others.length > 0 && (
        <ul aria-label="Recently changed" className="flex flex-wrap gap-x-5 gap-y-1 text-sm">
          {others.slice(0, 5).map((h) => (
            <AsItWas key={h.id} {...h} />
          ))}
        </ul>
      )}
      {holds.length > 0 && (
        <ul aria-label="Recently cancelled" className="flex flex-wrap gap-x-5 gap-y-1 text-sm">
          {holds.slice(0, 5).map((h) => (
            <Back key={h.id} id={h.id} title={h.title} />
          ))}
        </ul>
      )}
    </div>
  );
}

function AsItWas({ id, title, at, what }: { id: number; title: string; at: string; what: string }) {
  const back = useChangeBack(id, title, at);
  return (
    <li>
      <Tag tone="tide">{what}</Tag> {title}{" "}
      <Quiet disabled={back.busy} onClick={() => back.run(undefined)}>
        Undo
      </Quiet>
      <Trouble error={back.problem} />
    </li>
  );
}

function Back({ id, title }: { id: number; title: string }) {
  const revive = useRevive(id, title);
  return (
    <li>
      <Tag tone="plain">Cancelled</Tag> {title}{" "}
      <Quiet disabled={revive.busy} onClick={() => revive.run(undefined)}>
        Undo
      </Quiet>
      <Trouble error={revive.problem} />
    </li>
  );
}
