import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useStore } from "zustand";
import { useAskAgain } from "../../api/asked";
import { api, told } from "../../api/client";
import { SignPanel } from "../../circulation/sign";
import { useMe } from "../../shell/me";
import { usePrompt } from "../../shell/scan";
import { ScanActs, sayState } from "../../shell/scans/lines";
import { useScans } from "../../shell/scans/scans";
import { Button, Code, Head, Tabs, Tag, Trouble } from "../../ui/parts";
import { sayCount } from "../../ui/say";
import { AskOutside } from "./AskOutside";
import { List } from "./List";
import { NewRequests } from "./NewRequests";
import { Parcels } from "./Parcels";
import { RequestPage } from "./RequestPage";
import { outside, scannedOf } from "./session";
import { groups, interlibraryTabs } from "./tabs";

/** Requests to and from libraries outside: whose move it is, and what the move is. */
export function InterlibraryPlace() {
  const me = useMe();
  const navigate = useNavigate();
  const askAgain = useAskAgain();
  const { tab, request } = useSearch({ from: "/interlibrary" });
  const { words, asking, whom, taken } = useStore(outside);
  usePrompt("Scan an item to pack it, a parcel’s number to receive it, or type words to search the partners");
  const count = useQuery({ queryKey: ["requests", "count"], queryFn: () => told(api.GET("/api/interlibrary/count")) });
  const chosen = interlibraryTabs.find(([id]) => id === tab)?.[0] ?? "open";
  const numbers: Partial<Record<string, number>> = {
    ours: count.data?.ours,
    theirs: count.data?.theirs,
    late: count.data?.late,
    parcels: count.data?.packed,
    new: count.data?.new,
  };
  const group = groups[chosen];
  return (
    <div className="grid gap-3.5">
      <Head
        title="Interlibrary"
        says={count.data && `${sayCount(count.data.ours, "request waits", "requests wait")} for us.`}
      >
        {me.outside && (
          <Button plain onClick={() => window.open(me.outside, "_blank")}>
            Open the demo partners
          </Button>
        )}
        <Button aria-expanded={asking} onClick={() => outside.setState({ asking: !asking, whom: undefined })}>
          Request from a partner
        </Button>
      </Head>
      <Scanned />
      {taken && <SignPanel sign={taken.sign} title={taken.title} code={taken.code} />}
      <Trouble error={count.error} />
      {asking && (
        <AskOutside
          key={words}
          whom={whom}
          words={words}
          onAsked={() => {
            outside.setState({ asking: false, words: "", whom: undefined });
            askAgain("requests");
          }}
        />
      )}
      {request ? (
        <RequestPage key={request} id={request} />
      ) : (
        <>
          <Tabs
            label="Interlibrary"
            tabs={interlibraryTabs.map(([id, name]) => [id, numbers[id] ? `${name} (${numbers[id]})` : name] as const)}
            chosen={chosen}
            onChoose={(id) => void navigate({ to: "/interlibrary", search: (s) => ({ ...s, tab: id }) })}
          />
          {group !== undefined && <List group={group} />}
          {chosen === "new" && <NewRequests />}
          {chosen === "parcels" && <Parcels />}
        </>
      )}
    </div>
  );
}

/** Scans that are on their way, what they have done, and those that were nothing for here. */
function Scanned() {
  const lines = useScans("interlibrary");
  return (
    <ul className="grid gap-1 empty:hidden">
      {lines.map((s) => {
        const found = scannedOf(s);
        const wrong = s.state === "wrong";
        return (
          <li key={s.id} role={wrong ? "alert" : undefined} className="flex flex-wrap items-center gap-x-3">
            <Tag tone={wrong ? "buoy" : s.state === "done" ? "spruce" : "plain"}>
              {wrong ? "Not accepted" : s.state === "done" ? found?.says || "Found" : "…"}
            </Tag>
            <Code>{s.text}</Code>{" "}
            {found?.request ? (
              <Link to="/interlibrary" search={{ request: found.request.id }} className="link">
                {found.request.title}, {found.request.number}
              </Link>
            ) : (
              sayState(s)
            )}
            {found?.request?.due && found.kind === "packed" && <span>due {found.request.due}</span>}
            {found?.patron && (
              <Link to="/patrons" search={{ patron: found.patron }} className="link">
                Show patron
              </Link>
            )}
            {found?.item && (
              <Link to="/items" search={{ item: found.item }} className="link">
                Show item
              </Link>
            )}
            <ScanActs scan={s} />
          </li>
        );
      })}
    </ul>
  );
}
