import { useMutation } from "@tanstack/react-query";
import { useId } from "react";
import { api, told } from "../../api/client";
import { base64 } from "../../ui/bytes";
import { Card, Empty, Tag, Trouble } from "../../ui/parts";
import { Proposed, type Proposal } from "./Proposed";

/** The records of a MARC file, to be looked at and taken one by one. */
export function FromFile({ onTake }: { onTake: (record: Proposal) => void }) {
  const id = useId();
  const read = useMutation({
    mutationFn: async (file: File) =>
      told(api.POST("/api/records-read", { body: { content: base64(new Uint8Array(await file.arrayBuffer())) } })),
  });
  return (
    <Card label="From a MARC file" className="grid gap-2 p-3.5">
      <label htmlFor={id} className="text-sm text-ink-2">
        MARC 21 file (ISO 2709 or MARCXML)
      </label>
      <input
        id={id}
        type="file"
        accept=".mrc,.marc,.xml,application/marc,text/xml"
        className="file:mr-2 file:cursor-pointer file:rounded-card file:border file:border-edge file:bg-field file:px-2.5 file:py-1 file:text-ink"
        onChange={(e) => {
          const file = e.target.files?.[0];
          e.target.value = "";
          if (file) read.mutate(file);
        }}
      />
      <Trouble error={read.error} />
      {read.data && (
        <>
          {read.data.odd.map((o) => (
            <p key={o}>
              <Tag tone="amber">Skipped</Tag> {o}
            </p>
          ))}
          {read.data.remarks.map((r) => (
            <p key={r}>
              <Tag tone="plain">Read, with a remark</Tag> {r}
            </p>
          ))}
          {read.data.proposals.length === 0 && <Empty>No record in this file can be used.</Empty>}
          {read.data.proposals.map((p, k) => (
            <Proposed key={k} proposal={p} service="File" onTake={() => onTake(p)} />
          ))}
          {read.data.more && <p>The first hundred are shown.</p>}
        </>
      )}
    </Card>
  );
}
