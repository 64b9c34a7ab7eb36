import { Link } from "@tanstack/react-router";
import type { Schema } from "../../api/client";
import { Tag, type Tone } from "../../ui/parts";
import { sayDay } from "../../ui/say";
import type { Column } from "../../ui/table";
import { Move } from "./Move";

type Request = Schema["InterlibraryRequest"];

const ended: Request["stage"][] = ["done", "refused", "withdrawn"];

/** Who has to do something next. */
export const whose = (r: Request): [Tone, string] =>
  r.our_move
    ? ["amber", "Waiting for us"]
    : ended.includes(r.stage)
      ? ["plain", "Ended"]
      : r.role === "supplying" && r.stage === "promised"
        ? ["tide", "Being fetched"]
        : r.role === "requesting" && r.stage === "there"
          ? ["tide", "Waiting for patron"]
          : ["plum", "Waiting for partner"];

/** Which way something goes. */
export const sayRole = (r: Request) =>
  r.role === "requesting" ? (r.copy ? "copy for us" : "borrowing") : r.copy ? "copy requested" : "lending";

export const columns: Column<Request>[] = [
  {
    id: "whose",
    head: "Next step",
    className: "whitespace-nowrap",
    value: (r) => `${whose(r)[1]}${r.late && `, ${r.late}`}`,
    cell: (r) => (
      <>
        <Tag tone={whose(r)[0]}>{whose(r)[1]}</Tag>
        {r.late && <span className="block pt-0.5 text-sm whitespace-normal text-buoy-700">{r.late}</span>}
      </>
    ),
  },
  {
    id: "title",
    head: "Title",
    value: (r) => `${r.title} ${r.number} ${r.author}`,
    cell: (r) => (
      <>
        <Link to="/interlibrary" search={{ request: r.id }} className="font-semibold hover:underline">
          {r.title}
        </Link>
        <br />
        <span className="text-sm text-ink-2">
          {r.number}
          {r.author && `, ${r.author}`}
          {r.part && <span className="block">{r.part}</span>}
        </span>
      </>
    ),
  },
  {
    id: "partner",
    head: "Partner",
    value: (r) => `${r.partner}, ${sayRole(r)}`,
    cell: (r) => (
      <>
        {r.partner}
        <br />
        <span className="text-sm text-ink-2">{sayRole(r)}</span>
      </>
    ),
  },
  {
    id: "stands",
    head: "Status",
    value: (r) => `${r.says}${r.due && `, due ${r.due}`}${r.needed_by && `, needed by ${r.needed_by}`}`,
    cell: (r) => (
      <>
        {r.says}
        {r.due && `, due ${r.due}`}
        <br />
        <span className="text-sm text-ink-2">
          {sayDay(r.moved_at)}
          {r.needed_by && ["asked", "promised", "shipped"].includes(r.stage) && `, needed by ${r.needed_by}`}
          {r.last_note.trim() && `. ${r.last_note}`}
        </span>
        {r.waiting && <span className="block text-sm text-buoy-700">{r.waiting}</span>}
      </>
    ),
  },
  {
    id: "for",
    head: "For",
    value: (r) => `${r.patron} ${r.pickup}`,
    className: "text-sm",
    cell: (r) => (
      <>
        {r.patron_id && (
          <Link to="/patrons" search={{ patron: r.patron_id }} className="hover:underline">
            {r.patron}
          </Link>
        )}
        {r.pickup && <span className="block text-ink-2">{r.pickup}</span>}
        {r.role === "supplying" && r.barcode && (
          <span className="block text-ink-2">
            {r.call_number && `${r.call_number}, `}
            {r.barcode}
          </span>
        )}
      </>
    ),
  },
  {
    id: "move",
    head: "Action",
    unnamed: true,
    right: true,
    screenOnly: true,
    cell: (r) => <Move request={r} />,
  },
];
