import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useNavigate, useSearch } from "@tanstack/react-router";
import clsx from "clsx";
import { useEffect, useRef, useState } from "react";
import { api, newKey, told, type Schema } from "../../api/client";
import { useMe } from "../../kit/me";
import { usePages } from "../../kit/pages";
import { Button, Card, Empty, Field, Head, inputLook, Loading, Quiet, Tag, Trouble } from "../../kit/parts";
import { sayDay, sayInstant } from "../../kit/say";
import { CalendarForms } from "./Forms";

export type Calendar = Schema["CalendarsCalendar"];
export type Change = Omit<Schema["CalendarsChange"], "branches" | "version">;

const months = [
  "January",
  "February",
  "March",
  "April",
  "May",
  "June",
  "July",
  "August",
  "September",
  "October",
  "November",
  "December",
];

/** When branches are open: one year of a branch, and changes that are looked at before they count. */
export function CalendarsPlace() {
  const me = useMe().data!;
  const queries = useQueryClient();
  const navigate = useNavigate();
  const search = useSearch({ from: "/calendars" });
  const branch = search.branch ?? me.branch;
  const year = search.year ?? Number(me.now.slice(0, 4));
  const supervising = me.role === "supervisor" || me.role === "administrator";
  const [also, setAlso] = useState<string[]>([]); // further branches that a change is for
  const [change, setChange] = useState<Schema["CalendarsChange"]>(); // that is looked at
  const [touched, setTouched] = useState<Schema["CalendarsTouched"]>();
  const [leaveOut, setLeaveOut] = useState<number[]>([]);
  const [said, setSaid] = useState("");
  const [error, setError] = useState<unknown>();
  const calendar = useQuery({
    queryKey: ["calendar", branch, year],
    queryFn: () => told(api.GET("/api/calendars/{branch}", { params: { path: { branch }, query: { year } } })),
  });
  const branches = [...new Set([branch, ...also])];
  const go = (to: { branch?: string; year?: number }) => {
    setTouched(undefined);
    void navigate({ to: "/calendars", search: { branch, year, ...to } });
  };
  const preview = (c: Change) => {
    const whole = { ...c, branches: c.now ? [branch] : branches, version: calendar.data!.version };
    return told(api.POST("/api/calendars/preview", { body: whole })).then((t) => {
      setChange(whole);
      setTouched(t);
      setLeaveOut([]);
      setSaid("");
      setError(undefined);
    }, setError);
  };
  const apply = () =>
    told(
      api.POST("/api/calendars/apply", { params: { header: newKey() }, body: { ...change!, leave_out: leaveOut } }),
    ).then((t) => {
      setSaid(t.text);
      setTouched(undefined);
      setError(undefined);
      return queries.invalidateQueries();
    }, setError);
  const name = me.branches!.find((b) => b.code === branch)?.name ?? branch;
  return (
    <div className="grid gap-3.5">
      <Head title="Calendars" says={calendar.data && says(calendar.data)}>
        {calendar.data?.open_now && (supervising || (me.role !== "volunteer" && branch === me.branch)) && (
          <CloseNow name={name} onClose={(reason) => void preview({ now: reason })} />
        )}
      </Head>
      <div className="flex flex-wrap items-end gap-3 print:hidden">
        <Field label="Branch">
          <select className={inputLook} value={branch} onChange={(e) => go({ branch: e.target.value })}>
            {me.branches!.map((b) => (
              <option key={b.code} value={b.code}>
                {b.name}
              </option>
            ))}
          </select>
        </Field>
        <div className="flex items-center gap-2">
          <Button plain aria-label="The year before" onClick={() => go({ year: year - 1 })}>
            ‹
          </Button>
          <b className="text-xl tabular-nums">{year}</b>
          <Button plain aria-label="The year after" onClick={() => go({ year: year + 1 })}>
            ›
          </Button>
        </div>
        <span className="ml-auto flex gap-4 pb-1">
          <a
            href={`/api/calendars/${branch}/calendar.ics`}
            download={`${branch}.ics`}
            className="border-b border-dotted border-spruce-500 text-sm text-spruce-700"
          >
            As an iCalendar file
          </a>
          <Quiet onClick={() => window.print()}>Print the year</Quiet>
        </span>
      </div>
      <Trouble error={error ?? calendar.error} />
      {said && (
        <p role="status">
          <Tag tone="spruce">Done</Tag> {said}. It can be undone below.
        </p>
      )}
      {touched && (
        <Preview
          touched={touched}
          change={change!}
          leaveOut={leaveOut}
          onLeaveOut={setLeaveOut}
          onApply={() => void apply()}
          onLeave={() => setTouched(undefined)}
        />
      )}
      {!calendar.data ? <Loading lines={10} /> : <Year calendar={calendar.data} today={me.now.slice(0, 10)} />}
      {calendar.data && supervising && (
        <CalendarForms
          key={branch + calendar.data.version}
          calendar={calendar.data}
          all={me.branches!}
          also={also}
          onAlso={setAlso}
          onChange={(c) => void preview(c)}
        />
      )}
      <Sweeps supervising={supervising} />
    </div>
  );
}

function says(c: Calendar) {
  const open = c.days!.filter((d) => d.hours).length;
  return `${c.name} is open on ${open} days of ${c.year}${c.open_now ? ", and now" : ""}.`;
}

/** A storm: closed from this minute on. What it moves is shown first. */
function CloseNow({ name, onClose }: { name: string; onClose: (reason: string) => void }) {
  const [asking, setAsking] = useState(false);
  const [reason, setReason] = useState("");
  if (!asking) return <Button onClick={() => setAsking(true)}>We close now</Button>;
  return (
    <form
      className="flex gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        onClose(reason.trim());
        setAsking(false);
      }}
    >
      <input
        aria-label="Why the branch closes now"
        placeholder="Why, such as storm"
        className={inputLook}
        required
        value={reason}
        onChange={(e) => setReason(e.target.value)}
      />
      <Button type="submit">See what closing {name} now moves</Button>
    </form>
  );
}

const looks: Record<Schema["CalendarsDay"]["kind"], string> = {
  open: "bg-spruce-100 text-spruce-900",
  special: "bg-tide-100 text-tide-700 font-bold",
  closed: "text-ink-3",
  closure: "slant-soft bg-buoy-100 text-buoy-700 font-bold",
};

/** One year, month by month: open days, closures, special days, each by colour, pattern and word. */
function Year({ calendar, today }: { calendar: Calendar; today: string }) {
  const special = calendar.days!.filter((d) => d.kind === "closure" || d.kind === "special");
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_260px] items-start gap-3.5">
      <Card label={`${calendar.name} in ${calendar.year}`} className="p-4">
        <div className="grid grid-cols-[repeat(auto-fill,minmax(150px,1fr))] gap-x-5 gap-y-3.5">
          {months.map((m, k) => (
            <Month
              key={m}
              name={m}
              days={calendar.days!.filter((d) => Number(d.date.slice(5, 7)) === k + 1)}
              today={today}
            />
          ))}
        </div>
        <p className="mt-3 flex flex-wrap gap-4 text-sm text-ink-2">
          {(
            [
              ["open", "open"],
              ["special", "special hours"],
              ["closure", "closed for a reason"],
              ["closed", "not an open day"],
            ] as const
          ).map(([kind, text]) => (
            <span key={kind} className="flex items-center gap-1.5">
              <span aria-hidden className={clsx("grid size-5 place-items-center rounded text-xs", looks[kind])}>
                5
              </span>
              {text}
            </span>
          ))}
        </p>
      </Card>
      <Card label="Days that are different" className="max-h-[60vh] overflow-auto">
        <h2 className="px-3.5 pt-3 font-semibold">Days that are different</h2>
        {special.length === 0 ? (
          <Empty>None in {calendar.year}.</Empty>
        ) : (
          <ul className="divide-y divide-line">
            {special.map((d) => (
              <li key={d.date} className="px-3.5 py-2 text-sm">
                <b className="font-semibold">{sayDay(d.date + "T12:00:00Z")}</b>
                <p className={d.hours ? "text-tide-700" : "text-buoy-700"}>
                  {d.reason}: {d.hours || "closed"}
                </p>
              </li>
            ))}
          </ul>
        )}
      </Card>
    </div>
  );
}

function Month({ name, days, today }: { name: string; days: Schema["CalendarsDay"][]; today: string }) {
  const before = ((days[0]?.weekday ?? 1) + 6) % 7; // weeks begin on Monday
  return (
    <section aria-label={name}>
      <h3 className="mb-1 font-semibold">{name}</h3>
      <ol className="grid grid-cols-7 gap-0.5 text-center text-xs tabular-nums">
        {Array.from({ length: before }, (_, k) => (
          <li key={`b${k}`} aria-hidden />
        ))}
        {days.map((d) => (
          <li
            key={d.date}
            title={`${sayDay(d.date + "T12:00:00Z")}: ${[d.hours || "closed", d.reason].filter(Boolean).join(", ")}`}
            className={clsx("rounded py-0.5", looks[d.kind], d.date === today && "outline-2 outline-amber-500")}
          >
            {Number(d.date.slice(8))}
            <span className="sr-only">
              {" "}
              {d.hours || "closed"} {d.reason}
            </span>
          </li>
        ))}
      </ol>
    </section>
  );
}

/** What a change touches, before it counts: loans can be left out, the rest follows. */
function Preview({
  touched,
  change: body,
  leaveOut,
  onLeaveOut,
  onApply,
  onLeave,
}: {
  touched: Schema["CalendarsTouched"];
  change: Schema["CalendarsChange"];
  leaveOut: number[];
  onLeaveOut: (l: number[]) => void;
  onApply: () => void;
  onLeave: () => void;
}) {
  const panel = useRef<HTMLDivElement>(null);
  useEffect(() => {
    panel.current?.scrollIntoView({ block: "center" });
  }, [touched]);
  const loans = usePages(
    ["preview", "loans", body],
    (after) => told(api.POST("/api/calendars/preview/loans", { params: { query: { after } }, body })),
    { enabled: touched.loans > 0 },
  );
  const holds = usePages(
    ["preview", "holds", body],
    (after) => told(api.POST("/api/calendars/preview/holds", { params: { query: { after } }, body })),
    { enabled: touched.holds > 0 },
  );
  return (
    <Card label="What it touches" className="border-l-4 border-l-amber-500">
      <div ref={panel} />
      <div className="flex flex-wrap items-center gap-3 px-4 py-3">
        <p className="min-w-64 flex-1">
          <b className="font-semibold">{touched.text}.</b> {touched.loans - leaveOut.length}{" "}
          {touched.loans - leaveOut.length === 1 ? "due date moves" : "due dates move"}, {touched.holds}{" "}
          {touched.holds === 1 ? "hold waits" : "holds wait"} longer on the shelf.
        </p>
        <Button onClick={onApply}>Change the calendar</Button>
        <Button plain onClick={onLeave}>
          Leave it
        </Button>
      </div>
      {(touched.runs?.length ?? 0) > 0 && (
        <p className="px-4 pb-2 text-sm text-tide-700">The courier still goes: {touched.runs!.join("; ")}.</p>
      )}
      <Trouble error={loans.error ?? holds.error} />
      {touched.loans + touched.holds > 0 && (
        <div className="max-h-72 overflow-auto border-t border-line">
          <table className="list">
            <thead>
              <tr>
                <th>Moves</th>
                <th>Title</th>
                <th>Patron</th>
                <th>Before</th>
                <th>After</th>
              </tr>
            </thead>
            <tbody>
              {loans.rows?.map((l) => (
                <tr key={l.loan} className={clsx(leaveOut.includes(l.loan) && "opacity-50")}>
                  <td>
                    <input
                      type="checkbox"
                      aria-label={`Move the due date of ${l.title}`}
                      checked={!leaveOut.includes(l.loan)}
                      onChange={(e) =>
                        onLeaveOut(e.target.checked ? leaveOut.filter((x) => x !== l.loan) : [...leaveOut, l.loan])
                      }
                    />
                  </td>
                  <td>{l.title}</td>
                  <td>{l.patron}</td>
                  <td>{l.before}</td>
                  <td className="font-semibold">{l.after}</td>
                </tr>
              ))}
              {holds.rows?.map((h) => (
                <tr key={`h${h.hold}`}>
                  <td className="text-sm text-ink-2">hold shelf</td>
                  <td>{h.title}</td>
                  <td>{h.patron}</td>
                  <td>{h.before}</td>
                  <td className="font-semibold">{h.after}</td>
                </tr>
              ))}
            </tbody>
          </table>
          {((touched.loans > 0 && !loans.rows) || (touched.holds > 0 && !holds.rows)) && <Loading lines={3} />}
          {loans.more}
          {holds.more}
        </div>
      )}
    </Card>
  );
}

/** Changes that were made, each undone as one. */
function Sweeps({ supervising }: { supervising: boolean }) {
  const queries = useQueryClient();
  const [error, setError] = useState<unknown>();
  const list = usePages(["sweeps"], (after) =>
    told(api.GET("/api/sweeps", { params: { query: { after, most: 30 } } })),
  );
  const undo = (id: number) =>
    told(api.POST("/api/sweeps/{id}/undo", { params: { path: { id }, header: newKey() } })).then(() => {
      setError(undefined);
      return queries.invalidateQueries();
    }, setError);
  if (!list.rows?.length) return null;
  return (
    <Card label="Changes made" className="print:hidden">
      <h2 className="px-4 pt-3 font-semibold">Changes made</h2>
      <Trouble error={error} />
      <table className="list">
        <tbody>
          {list.rows.map((s) => (
            <tr key={s.id}>
              <td className="text-sm whitespace-nowrap">{sayInstant(s.at)}</td>
              <td className={clsx(s.undone_at && "line-through")}>{s.text}</td>
              <td className="text-sm text-ink-2">
                {s.loans} due dates, {s.holds} holds
              </td>
              <td className="text-sm text-ink-2">{s.who}</td>
              <td className="text-right">
                {s.undone_at ? (
                  <Tag tone="plain">Undone</Tag>
                ) : (
                  supervising && <Quiet onClick={() => void undo(s.id)}>Undo</Quiet>
                )}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
      {list.more}
    </Card>
  );
}
