import { useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { useMe } from "../../shell/me";
import { usePages } from "../../ui/pages";
import { Card, Quiet, Trouble } from "../../ui/parts";
import { sayMoney, toFigures, toMinor } from "../../ui/say";
import { Table, type Act } from "../../ui/table";
import { useAssign } from "./assign";
import { columns } from "./Receipts";

type Receipt = Schema["AccountsReceipt"];

const sumOf = (of: Receipt[]) => toFigures(of.reduce((sum, r) => sum + (toMinor(r.amount) ?? 0), 0));

const shown = columns.filter((c) => c.id !== "till");

/** What went over the counter while no till was open, to be put into one that is: then it is counted with it. */
export function NoTill({ open }: { open: Schema["AccountsTill"][] }) {
  const me = useMe();
  const list = usePages(["receipts", "no till", me.branch], (after) =>
    told(api.GET("/api/receipts", { params: { query: { after, no_till: true } } })),
  );
  const [put, setPut] = useState<{ till: number; name: string; receipts: Receipt[] }>();
  const assign = useAssign((body, till) => {
    const name = open.find((t) => t.id === till)?.name ?? "";
    setPut(
      body.out ? undefined : { till, name, receipts: (list.data ?? []).filter((r) => body.receipts.includes(r.id)) },
    );
  });
  const acts: Act<Receipt>[] = open.map((t, k) => ({
    label: (chosen) => `Assign ${sayMoney(sumOf(chosen))} to ${t.name}`,
    run: (chosen) => assign.run({ till: t.id, body: { receipts: chosen.map((r) => r.id), out: false } }),
    busy: assign.busy,
    plain: k > 0,
  }));
  if (!put && !list.data?.length) return null;
  return (
    <Card label="Not in a till">
      <h2 className="px-3.5 pt-3 font-semibold">Not in a till</h2>
      <p className="px-3.5 text-sm text-ink-2">
        Received while no till was open.{" "}
        {open.length > 0 ? "Select the payments now in a till, then assign them." : "Open a till to assign them."}
      </p>
      {put && (
        <p role="status" className="mx-3.5 my-2 rounded-card bg-spruce-100 px-3 py-2 text-spruce-700">
          {sayMoney(sumOf(put.receipts))} assigned to {put.name}.{" "}
          <Quiet
            onClick={() => assign.run({ till: put.till, body: { receipts: put.receipts.map((r) => r.id), out: true } })}
          >
            Undo
          </Quiet>
        </p>
      )}
      <Trouble error={assign.problem} />
      <Table
        label="Not in a till"
        columns={shown}
        rows={list.data ?? []}
        id={(r) => r.id}
        pages={list.pages}
        acts={open.length > 0 ? acts : undefined}
        className="max-h-[40vh]"
        empty="Every payment is assigned to a till."
      />
    </Card>
  );
}
