import clsx from "clsx";
import type { Schema } from "../../api/client";
import { Card, Empty, Scrolled } from "../../ui/parts";
import { sayDate, sayHours } from "../../ui/say";
import type { Calendar } from "./types";

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

const looks: Record<Schema["CalendarsDay"]["kind"], string> = {
  open: "bg-spruce-100 text-spruce-700",
  special: "bg-tide-100 text-tide-700 font-bold",
  closed: "text-ink-3",
  closure: "slant-soft bg-buoy-100 text-buoy-700 font-bold",
};

/** One year, month by month: open days, closures, special days, each by colour, pattern and word. */
export function Year({ calendar, today }: { calendar: Calendar; today: string }) {
  const special = calendar.days.filter((d) => d.kind === "closure" || d.kind === "special");
  return (
    <div className="grid items-start gap-3.5 lg:grid-cols-[minmax(0,1fr)_260px]">
      <Card label={`${calendar.name} in ${calendar.year}`} className="p-4">
        <div className="grid grid-cols-[repeat(auto-fill,minmax(150px,1fr))] gap-x-5 gap-y-3.5">
          {months.map((m, k) => (
            <Month
              key={m}
              name={m}
              days={calendar.days.filter((d) => Number(d.date.slice(5, 7)) === k + 1)}
              today={today}
            />
          ))}
        </div>
        <p className="mt-3 flex flex-wrap gap-4 text-sm text-ink-2">
          {(
            [
              ["open", "open"],
              ["special", "special hours"],
              ["closure", "closure"],
              ["closed", "closed by weekly hours"],
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
      <Card label="Exceptions">
        <h2 className="px-3.5 pt-3 font-semibold">Exceptions</h2>
        {special.length === 0 ? (
          <Empty>No exceptions in {calendar.year}.</Empty>
        ) : (
          <Scrolled label="List of exceptions" className="max-h-[56vh]">
            <ul className="divide-y divide-line">
              {special.map((d) => (
                <li key={d.date} className="px-3.5 py-2 text-sm">
                  <b className="font-semibold">{sayDate(d.date)}</b>
                  <p className={d.hours ? "text-tide-700" : "text-buoy-700"}>
                    {d.reason}: {d.hours ? sayHours(d.hours) : "closed"}
                  </p>
                </li>
              ))}
            </ul>
          </Scrolled>
        )}
      </Card>
    </div>
  );
}

function Month({ name, days, today }: { name: string; days: Schema["CalendarsDay"][]; today: string }) {
  const before = ((days[0]?.weekday ?? 1) + 6) % 7; // weeks begin on Monday
  return (
    <section aria-label={name}>
      <h2 className="mb-1 font-semibold">{name}</h2>
      <ol className="grid grid-cols-7 gap-0.5 text-center text-xs tabular-nums">
        {Array.from({ length: before }, (_, k) => (
          <li key={`b${k}`} aria-hidden />
        ))}
        {days.map((d) => (
          <li
            key={d.date}
            title={`${sayDate(d.date)}: ${[d.hours ? sayHours(d.hours) : "closed", d.reason].filter(Boolean).join(", ")}`}
            className={clsx("rounded py-0.5", looks[d.kind], d.date === today && "outline-2 outline-amber-500")}
          >
            {Number(d.date.slice(8))}
            <span className="sr-only">
              {" "}
              {d.hours ? sayHours(d.hours) : "closed"} {d.reason}
            </span>
          </li>
        ))}
      </ol>
    </section>
  );
}
