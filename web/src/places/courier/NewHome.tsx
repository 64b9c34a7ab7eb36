import { useAskAgain } from "../../api/asked";
import { sayCount } from "../../ui/say";
import { api, keyed, type Schema } from "../../api/client";
import { Button, Trouble } from "../../ui/parts";
import { InSight } from "../../ui/insight";
import { useTried } from "../../shell/tried";
import { TakeBack, useAgain, What } from "../items";

export type Better = Schema["FlowsBetter"];

/** Gives things the home to which they travel again and again: previewed, applied, undone as one. */
export function NewHome({ code, items, onLeave }: { code: string; items: Better[]; onLeave: () => void }) {
  const askAgain = useAskAgain();
  const again = useAgain();
  const to = items[0]?.to ?? code;
  const given = { which: { items: items.map((b) => b.item_id) }, change: { branch: code } };
  const tried = useTried(
    { ...given, reason: "Repeatedly sent there" },
    (body, key) => api.POST("/api/items-changed", { params: { header: keyed(key) }, body }),
    { name: `new home ${code}`, about: `New home branch: ${to}`, of: given, done: again },
  );
  return (
    <section aria-label={`New home branch: ${to}`} className="grid gap-2 rounded-card border border-line p-3">
      <h3 className="font-semibold">
        {sayCount(items.length, "item")} will belong to {to}. That would have saved{" "}
        {items.reduce((n, b) => n + b.saves, 0)} journeys
      </h3>
      <Trouble error={tried.problem} />
      {!tried.did && (
        <span className="flex flex-wrap gap-2">
          <Button plain={!!tried.would} busy={tried.busy} onClick={tried.look}>
            Preview
          </Button>
          {tried.would && tried.would.changed > 0 && (
            <Button busy={tried.busy} onClick={tried.act}>
              Apply
            </Button>
          )}
          <Button plain onClick={onLeave}>
            Cancel
          </Button>
        </span>
      )}
      {tried.would && (
        <InSight of={tried.would}>
          <What of={tried.would} would />
        </InSight>
      )}
      {tried.did && (
        <div role="status" className="rounded bg-tide-100 px-3 py-2">
          <What of={tried.did} />
          <p>Print the list, take the items from the shelves and scan them: each goes into the tote for {to}.</p>
          {tried.did.deed > 0 && <TakeBack deed={tried.did.deed} onDone={tried.forget} />}{" "}
          <Button
            plain
            onClick={() => {
              onLeave();
              askAgain("flows");
            }}
          >
            Close
          </Button>
        </div>
      )}
    </section>
  );
}
