import { BranchChoice } from "../../circulation/branches";
import { useQuery } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { useNavigate, useSearch } from "@tanstack/react-router";
import { useState } from "react";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../../api/client";
import * as check from "../../ui/checks";
import { Form, Send, TextField } from "../../ui/forms";
import { InSight } from "../../ui/insight";
import { Loading } from "../../ui/loading";
import { branchName, useMe } from "../../shell/me";
import { Button, Head, Quiet, Tag, Trouble } from "../../ui/parts";
import { isEmployed, supervises } from "../../shell/places";
import { useWrite } from "../../shell/write";
import { CalendarForms } from "./Forms";
import { Preview } from "./Preview";
import { Sweeps } from "./Sweeps";
import type { Calendar, Change } from "./types";
import { Year } from "./Year";

type Whole = Schema["CalendarsChange"];

/** When branches are open: one year of a branch, and changes that are looked at before they count. */
export function CalendarsPlace() {
  const me = useMe();
  const navigate = useNavigate();
  const search = useSearch({ from: "/calendars" });
  const branch = search.branch ?? me.branch;
  const year = search.year ?? Number(me.now.slice(0, 4));
  const supervising = supervises(me.role);
  const [also, setAlso] = useState<string[]>([]); // further branches that a change is for
  const [looked, setLooked] = useState<{ change: Whole; touched: Schema["CalendarsTouched"] }>();
  const [said, setSaid] = useState("");
  const [error, setError] = useState<unknown>();
  const calendar = useQuery({
    queryKey: ["calendar", branch, year],
    queryFn: () => told(api.GET("/api/calendars/{branch}", { params: { path: { branch }, query: { year } } })),
  });
  const go = (to: { branch?: string; year?: number }) => {
    setLooked(undefined);
    void navigate({ to: "/calendars", search: { branch, year, ...to } });
  };
  const preview = (change: Change, known: Calendar) => {
    const branches = change.now ? [branch] : [...new Set([branch, ...also])];
    const whole: Whole = { ...change, branches, version: known.version };
    void told(api.POST("/api/calendars/preview", { body: whole })).then((touched) => {
      setLooked({ change: whole, touched });
      setSaid("");
      setError(undefined);
    }, setError);
  };
  const name = branchName(me, branch);
  const mayClose = supervising || (isEmployed(me.role) && branch === me.branch);
  return (
    <div className="grid gap-3.5">
      <Head title="Calendars" says={calendar.data && says(calendar.data)}>
        {calendar.data?.open_now && mayClose && (
          <CloseNow name={name} onClose={(reason) => calendar.data && preview({ now: reason }, calendar.data)} />
        )}
      </Head>
      <Which branch={branch} year={year} onGo={go} />
      <Trouble error={error} />
      {said && (
        <p role="status">
          <Tag tone="spruce">Done</Tag> {said}. It can be undone below.
        </p>
      )}
      {looked && (
        <Look
          key={JSON.stringify(looked.change)}
          {...looked}
          onDone={(text) => {
            setSaid(text);
            setLooked(undefined);
          }}
          onClose={() => setLooked(undefined)}
        />
      )}
      <Loading of={calendar} lines={10}>
        {(c) => (
          <>
            {supervising && (
              <CalendarForms
                key={branch + c.version}
                calendar={c}
                all={me.branches}
                also={also}
                onAlso={setAlso}
                onChange={(change) => preview(change, c)}
              />
            )}
            <Year calendar={c} today={me.now.slice(0, 10)} />
          </>
        )}
      </Loading>
      <Sweeps supervising={supervising} />
    </div>
  );
}

/** What a change touches, and making it. */
function Look({
  change,
  touched,
  onDone,
  onClose,
}: {
  change: Whole;
  touched: Schema["CalendarsTouched"];
  onDone: (text: string) => void;
  onClose: () => void;
}) {
  const askAgain = useAskAgain();
  const apply = useWrite(
    (leave_out: number[], key) =>
      api.POST("/api/calendars/apply", { params: { header: keyed(key) }, body: { ...change, leave_out } }),
    {
      name: `calendar ${JSON.stringify(change)}`,
      about: "Calendar change",
      done: (t) => {
        onDone(t.text);
        askAgain();
      },
    },
  );
  return (
    <InSight of={touched}>
      <Preview touched={touched} change={change} write={apply} onApply={apply.run} onClose={onClose} />
    </InSight>
  );
}

function says(c: Calendar) {
  const open = c.days.filter((d) => d.hours).length;
  return `${c.name} is open on ${open} days of ${c.year}${c.open_now ? ", and now" : ""}.`;
}

function Which({
  branch,
  year,
  onGo,
}: {
  branch: string;
  year: number;
  onGo: (to: { branch?: string; year?: number }) => void;
}) {
  return (
    <div className="flex flex-wrap items-end gap-3 print:hidden">
      <BranchChoice value={branch} onChange={(branch) => onGo({ branch })} />
      <div className="flex items-center gap-2">
        <Button plain aria-label="Previous year" onClick={() => onGo({ year: year - 1 })}>
          ‹
        </Button>
        <b className="text-xl tabular-nums">{year}</b>
        <Button plain aria-label="Next year" onClick={() => onGo({ year: year + 1 })}>
          ›
        </Button>
      </div>
      <span className="ml-auto flex gap-4 pb-1">
        <a href={`/api/calendars/${branch}/calendar.ics`} download={`${branch}.ics`} className="link">
          Export as iCalendar
        </a>
        <Quiet onClick={() => window.print()}>Print year</Quiet>
      </span>
    </div>
  );
}

const closing = z.object({ reason: check.needed("Enter a reason, such as storm.") });

/** A storm: closed from this minute on. What it moves is shown first. */
function CloseNow({ name, onClose }: { name: string; onClose: (reason: string) => void }) {
  const [asking, setAsking] = useState(false);
  if (!asking) return <Button onClick={() => setAsking(true)}>Close now</Button>;
  return (
    <Form
      label={`Close ${name} now`}
      schema={closing}
      start={{ reason: "" }}
      onSend={({ reason }) => {
        onClose(reason);
        setAsking(false);
      }}
      className="flex items-end gap-2"
    >
      <TextField name="reason" label="Reason for closing now" placeholder="Storm" />
      <Send>Preview closing now</Send>
    </Form>
  );
}
