import { useState } from "react";
import { api, keyed, type Schema } from "../../api/client";
import { useClasses } from "../../circulation/classes";
import { isSum, sumSays } from "../../ui/checks";
import { Card, Field, inputLook, Quiet } from "../../ui/parts";
import { toMinor } from "../../ui/say";
import { usePreview } from "../../shell/preview";
import { PreviewAndApply } from "../../shell/apply";
import { TakeBack } from "./Deeds";
import { statuses } from "./Status";
import { AnyOf, useAgain } from "./stock";
import { DateChoice } from "../../ui/date";

type Which = Schema["StockWhich"];
type Changed = Schema["StockManyChanged"];

const nothing = { branch: "", until: "", collection: "", material: "", price: "", stands: "" };

/** What becomes of many items; it is previewed, applied and undone as one. */
export function ChangeThem({
  which,
  onLeave,
  onPull,
}: {
  which: Which;
  onLeave: () => void;
  /** Asks for the list of what is to be pulled from the shelves here, since it belongs to another branch now. */
  onPull: (branch: string) => void;
}) {
  const again = useAgain();
  const classes = useClasses();
  const [to, setTo] = useState(nothing);
  const [reason, setReason] = useState("");
  const set = (by: Partial<typeof nothing>) => setTo({ ...to, ...by });
  const badPrice = to.price.trim() !== "" && !isSum(to.price);
  const change = {
    ...(to.branch ? { branch: to.branch, ...(to.until ? { until: to.until } : {}) } : {}),
    ...(to.collection ? { collection: to.collection } : {}),
    ...(to.material ? { material: to.material } : {}),
    ...(to.price.trim() && !badPrice ? { price: toMinor(to.price) ?? 0 } : {}),
    ...statuses.find((s) => s.says === to.stands)?.to,
  };
  const given = { which, change };
  const preview = usePreview(
    { ...given, reason },
    (body, key) => api.POST("/api/items-changed", { params: { header: keyed(key) }, body }),
    { name: "change items", about: "Batch change", of: given, done: again },
  );
  const count = which.items?.length;
  return (
    <Card label="Batch change" className="grid gap-2.5 p-3.5">
      <h2 className="font-semibold">
        {count === undefined ? "Change all results" : count === 1 ? "Change one item" : `Change ${count} items`}. Empty
        fields stay as they are
      </h2>
      <div className="flex flex-wrap items-end gap-2.5">
        <AnyOf
          label="Home branch"
          value={to.branch}
          options={classes.branches}
          any="no change"
          onChoose={(branch) => set({ branch })}
        />
        {to.branch && <DateChoice label="until (temporary)" value={to.until} onChange={(until) => set({ until })} />}
        <AnyOf
          label="Collection"
          value={to.collection}
          options={classes.collections}
          any="no change"
          onChoose={(collection) => set({ collection })}
        />
        <AnyOf
          label="Material class"
          value={to.material}
          options={classes.materials}
          any="no change"
          onChoose={(material) => set({ material })}
        />
        <Field label="Price">
          <input
            className={`${inputLook} w-24`}
            value={to.price}
            aria-invalid={badPrice || undefined}
            onChange={(e) => set({ price: e.target.value })}
          />
        </Field>
        <AnyOf
          label="Status"
          value={to.stands}
          options={statuses.map((s) => [s.says, s.says] as const)}
          any="no change"
          onChoose={(stands) => set({ stands })}
        />
        <Field label="Reason">
          <input
            className={`${inputLook} w-56`}
            maxLength={300}
            value={reason}
            onChange={(e) => setReason(e.target.value)}
          />
        </Field>
      </div>
      {badPrice && (
        <p role="alert" className="text-buoy-700">
          {sumSays()}
        </p>
      )}
      <PreviewAndApply
        preview={preview}
        disabled={Object.keys(change).length === 0 || badPrice}
        applies={(would) => would.changed > 0}
        onCancel={onLeave}
        show={(changed, would) => <What of={changed} would={would} />}
        after={(did) => (
          <>
            {did.deed > 0 && <TakeBack deed={did.deed} onDone={preview.forget} />}{" "}
            {change.branch && did.changed > 0 && (
              <Quiet onClick={() => onPull(to.branch)}>List to take from the shelves</Quiet>
            )}
          </>
        )}
      />
    </Card>
  );
}

export function What({ of: w, would }: { of: Changed; would?: boolean }) {
  const parts = [
    `${w.changed} ${would ? "would be changed" : "changed"}`,
    w.same > 0 && `${w.same} already like that`,
    w.left > 0 && `${w.left} ${would ? "would stay" : "stayed"} unchanged: on loan, in transit, on hold or lent to us`,
  ];
  return (
    <div>
      <p>
        <b className="font-semibold">{w.says}</b>: {parts.filter(Boolean).join("; ")}.
      </p>
      <ul className="text-sm text-amber-700">
        {w.odd.map((o) => (
          <li key={o}>{o}</li>
        ))}
      </ul>
    </div>
  );
}
