import { Link } from "@tanstack/react-router";
import { api, keyed } from "../api/client";
import { Quiet, Trouble } from "../ui/parts";
import type { CardOf } from "./types";
import { useWrite } from "../shell/write";

/** What is to be asked for, or done, while the card is in one's hand. */
export function AtAScan({ card, onCard }: { card: CardOf; onCard: (card: CardOf) => void }) {
  const confirm = useWrite(
    (_: undefined, key) =>
      api.POST("/api/patrons/{id}/confirmed", { params: { path: { id: card.id }, header: keyed(key) } }),
    { name: `confirm ${card.id}`, about: `The details of ${card.name}`, done: onCard },
  );
  const takeOn = useWrite(
    (_: undefined, key) =>
      api.POST("/api/patrons/{id}/here", { params: { path: { id: card.id }, header: keyed(key) } }),
    { name: `take on ${card.id}`, about: `Making this the home branch of ${card.name}`, done: onCard },
  );
  if (card.missing.length === 0 && !card.confirm && !card.elsewhere) return null;
  return (
    <div
      role="status"
      className="flex flex-wrap items-center gap-x-4 gap-y-1 rounded bg-amber-100 px-3 py-1.5 text-amber-700"
    >
      {card.missing.length > 0 && (
        <p>
          Missing details: {card.missing.map((m) => m.replaceAll("_", " ")).join(", ")}.{" "}
          <Link to="/patrons" search={{ patron: card.id, form: "change" }} className="link">
            Add them
          </Link>
        </p>
      )}
      {card.confirm && (
        <p>
          Are address, phone and email still right?{" "}
          {card.confirmed ? `Last confirmed on ${card.confirmed}.` : "Never confirmed yet."}{" "}
          <Quiet disabled={confirm.busy} onClick={() => confirm.run(undefined)}>
            Confirm
          </Quiet>
        </p>
      )}
      {card.elsewhere && (
        <p>
          Home branch: {card.branch}.{" "}
          <Quiet disabled={takeOn.busy} onClick={() => takeOn.run(undefined)}>
            Make this their home branch
          </Quiet>
        </p>
      )}
      <Trouble error={confirm.problem ?? takeOn.problem} />
    </div>
  );
}
