import type { Schema } from "../../api/client";
import { Button, Tag } from "../../kit/parts";

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
      {p.another && <Tag tone="buoy">Not this ISBN</Tag>}
      <b className="font-semibold">{p.name || "A record without a title"}</b>
      <span>{[p.author, p.edition, p.publisher, p.year, p.extent].filter(Boolean).join(", ")}</span>
      <Button plain={p.another} onClick={onTake}>
        Take this record
      </Button>
      {p.another && (
        <p className="w-full text-sm text-buoy-700">
          {service} answered with a record that does not say this number: it may be another title&rsquo;s. Compare it
          with the book before you take it.
        </p>
      )}
    </div>
  );
}
