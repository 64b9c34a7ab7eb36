import { useAskAgain } from "../../api/asked";
import { sayCount } from "../../ui/say";
import { api, keyed, type Schema } from "../../api/client";
import { Button } from "../../ui/parts";
import { usePreview } from "../../shell/preview";
import { PreviewAndApply } from "../../shell/apply";
import { TakeBack, useAgain, What } from "../items";

export type Better = Schema["FlowsBetter"];

/** Gives things the home to which they travel again and again: previewed, applied, undone as one. */
export function NewHome({ code, items, onLeave }: { code: string; items: Better[]; onLeave: () => void }) {
  const askAgain = useAskAgain();
  const again = useAgain();
  const to = items[0]?.to ?? code;
  const given = { which: { items: items.map((b) => b.item_id) }, change: { branch: code } };
  const preview = usePreview(
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
      <PreviewAndApply
        preview={preview}
        applies={(would) => would.changed > 0}
        onCancel={preview.did ? undefined : onLeave}
        show={(changed, would) => <What of={changed} would={would} />}
        after={(did) => (
          <>
            <p>Print the list, take the items from the shelves and scan them: each goes into the tote for {to}.</p>
            {did.deed > 0 && <TakeBack deed={did.deed} onDone={preview.forget} />}{" "}
            <Button
              plain
              onClick={() => {
                onLeave();
                askAgain("flows");
              }}
            >
              Close
            </Button>
          </>
        )}
      />
    </section>
  );
}
