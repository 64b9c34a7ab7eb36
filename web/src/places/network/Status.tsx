import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import type { ReactNode } from "react";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { Card, Tag } from "../../ui/parts";
import { sayCount, sayDate, sayInstant } from "../../ui/say";

type Said = Schema["UpkeepStatus"];

/** The status of the installation, for administrators: what works by itself, and what did not work. */
export function Status() {
  const status = useQuery({
    queryKey: ["status"],
    queryFn: () => told(api.GET("/api/status")),
    refetchInterval: 30_000,
  });
  return (
    <Loading of={status}>
      {(s) => (
        <>
          <Card label="Status" className="max-w-4xl">
            <dl className="divide-y divide-line">
              <Row name="Night" warns={s.night_late}>
                {s.night
                  ? `The nightly work for ${sayDate(s.night)} was done${s.night_ended ? `, ${sayInstant(s.night_ended)}` : ""}.`
                  : "No night has passed yet."}
                {s.night_late && " A later night is overdue."}
              </Row>
              <Row name="Backup" warns={(!s.archived && !s.backed_up) || s.old_backup}>
                {s.backed_up
                  ? `The last base backup was made ${sayInstant(s.backed_up)}. `
                  : "No base backup has been made with nevrin backup; others are not known here. "}
                {s.archived
                  ? `PostgreSQL last gave its log to an archive ${sayInstant(s.archived)}.`
                  : "PostgreSQL gives its log to no archive, so what comes after a base backup can be lost."}
              </Row>
              <Row name="Email" warns={s.mail_off !== "" || s.refused > 0}>
                <Email status={s} />
              </Row>
              <Row name="Currency and time zone">
                {s.currency}, {s.timezone}
              </Row>
              <Row name="Version">
                Nevrin {s.version}, PostgreSQL {s.server}
              </Row>
            </dl>
          </Card>
          <Card label="Failed jobs" className="max-w-4xl">
            <h2 className="border-b border-line px-4 py-2.5 font-semibold">Failed jobs</h2>
            {s.failed.length === 0 && <p className="px-4 py-2.5 text-ink-2">No failed jobs.</p>}
            <ul className="divide-y divide-line">
              {s.failed.map((f) => (
                <li key={f.kind} className="px-4 py-2.5">
                  <b className="font-semibold">{f.kind.replaceAll("_", " ")}</b>{" "}
                  {f.again > 0 && <Tag tone="amber">{f.again} retrying</Tag>}{" "}
                  {f.given_up > 0 && <Tag tone="buoy">{f.given_up} not retried</Tag>}
                  <p className="text-sm text-ink-2">
                    {sayInstant(f.at)}: {f.error}
                  </p>
                </li>
              ))}
            </ul>
          </Card>
        </>
      )}
    </Loading>
  );
}

function Row({ name, warns = false, children }: { name: string; warns?: boolean; children: ReactNode }) {
  return (
    <div className="grid gap-x-4 px-4 py-2.5 sm:grid-cols-[12rem_1fr]">
      <dt className="font-semibold">
        {name} {warns && <Tag tone="amber">Check this</Tag>}
      </dt>
      <dd className="min-w-0">{children}</dd>
    </div>
  );
}

function Email({ status: s }: { status: Said }) {
  const counts = [
    s.waiting > 0 && `${sayCount(s.waiting, "message waits", "messages wait")} to be sent`,
    s.refused > 0 && `${sayCount(s.refused, "was", "were")} refused`,
  ].filter(Boolean);
  return (
    <>
      {s.mail_off === "server" && "Off: no mail server was named to the program (NEVRIN_SMTP). "}
      {s.mail_off === "sender" && "Off: the network has no sender. "}
      {s.mail_off === "" && "On. "}
      {counts.length > 0 && (
        <>
          {counts.join(", ")}:{" "}
          <Link to="/notices" className="link">
            Notices
          </Link>
          .{" "}
        </>
      )}
      <Link to="/network" search={{ tab: "settings" }} className="link">
        Sender and test email
      </Link>
    </>
  );
}
