import type { Schema } from "../../api/client";
import { Button, Tag } from "../../ui/parts";

export type Proposal = Schema["BibliographyProposal"];

/** A record of a service or a file, to be taken for a new title. */
export function Proposed({
  proposal: p,
  service,
  onTake,
}: {
  proposal: Proposal;
  service: string;
  onTake: () => void;
}) {
  return (
    <div className="flex flex-wrap items-baseline gap-x-3 gap-y-1">
      {p.another && <Tag tone="buoy">Different ISBN</Tag>}
      <b className="font-semibold">{p.name || "Record without a title"}</b>
      <span>{[p.author, p.edition, p.publisher, p.year, p.extent].filter(Boolean).join(", ")}</span>
      <Button plain={p.another} onClick={onTake}>
        Use this record
      </Button>
      {p.another && (
        <p className="w-full text-sm text-buoy-700">
          {service} returned a record without this number; it may be another title. Compare it with the book before you
          use it.
        </p>
      )}
    </div>
  );
}
