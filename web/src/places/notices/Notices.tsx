import { useQuery } from "@tanstack/react-query";
import { Link } from "@tanstack/react-router";
import { useState } from "react";
import { api, told, type Schema } from "../../api/client";
import { Loading } from "../../ui/loading";
import { useMe } from "../../shell/me";
import { Card, Head, Tag, type Tone } from "../../ui/parts";
import { administrates, supervises } from "../../shell/places";
import { plural, sayCount, sayDate } from "../../ui/say";
import { Messages } from "./Messages";
import { Stuck } from "./Stuck";

type Mailing = Schema["NoticesMailing"];

/** Notices: what each night worked out as a trial run, who and how many, then sent, each once. */
export function NoticesPlace() {
  const me = useMe();
  const [open, setOpen] = useState<number>();
  const all = useQuery({ queryKey: ["mailings"], queryFn: () => told(api.GET("/api/mailings")) });
  const mailing = all.data?.mailings.find((m) => m.id === open);
  const trials = all.data?.mailings.filter((m) => m.state === "trial").length ?? 0;
  const supervising = supervises(me.role);
  return (
    <div className="grid gap-3.5">
      <Head
        title="Notices"
        says={
          all.data &&
          (trials
            ? `${sayCount(trials, "trial run")} to check. Nothing has been sent yet.`
            : "No trial runs waiting. Each night prepares new ones.")
        }
      />
      {all.data?.mail_off && <MailOff why={all.data.mail_off} administrates={administrates(me.role)} />}
      <div className="grid items-start gap-3.5 lg:grid-cols-[minmax(300px,430px)_minmax(0,1fr)]">
        <Card label="Mailings">
          <Loading
            of={all}
            none={(a) => a.mailings.length === 0}
            empty="No mailings yet. Each night prepares one if there is somebody to notify."
          >
            {(a) => <Mailings list={a.mailings} open={open} onOpen={setOpen} />}
          </Loading>
        </Card>
        {mailing ? (
          <Messages key={mailing.id} mailing={mailing} maySend={supervising} />
        ) : (
          <Loading of={all}>{(a) => <Stuck list={a.stuck} maySettle={supervising} />}</Loading>
        )}
      </div>
    </div>
  );
}

/** Says that no email goes, and to those who can change that, how. */
function MailOff({ why, administrates }: { why: "server" | "sender"; administrates: boolean }) {
  return (
    <p role="status" className="rounded-card bg-amber-100 px-4 py-2.5 text-amber-700">
      <b className="font-semibold">Email is off.</b> Emails wait and are sent once it is on.{" "}
      {!administrates && "Tell an administrator."}
      {administrates && why === "server" && "Start the program with a mail server in NEVRIN_SMTP."}
      {administrates && why === "sender" && (
        <>
          Enter the sender under{" "}
          <Link className="link" to="/network" search={{ tab: "settings" }}>
            Network, Settings
          </Link>
          .
        </>
      )}
    </p>
  );
}

function stateOf(m: Mailing): [Tone, string] {
  switch (m.state) {
    case "trial":
      return ["amber", "Trial run"];
    case "dropped":
      return ["plain", "Discarded"];
    default:
      return [m.state === "sent" ? "spruce" : "plain", m.queued ? `${m.queued} being sent` : `${m.sent} sent`];
  }
}

function Mailings({ list, open, onOpen }: { list: Mailing[]; open?: number; onOpen: (id: number) => void }) {
  return (
    <ul className="max-h-[70vh] divide-y divide-line overflow-auto">
      {list.map((m) => {
        const [tone, word] = stateOf(m);
        return (
          <li key={m.id}>
            <button
              type="button"
              aria-pressed={m.id === open}
              onClick={() => onOpen(m.id)}
              className={`flex w-full cursor-pointer items-start gap-3 px-4 py-2.5 text-left hover:bg-sunk ${m.id === open ? "bg-sunk" : ""}`}
            >
              <span className="flex-1">
                <b className="block font-semibold">{m.stage}</b>
                <span className="text-sm text-ink-2">
                  {sayDate(m.day)}: {sayCount(m.patrons, "patron")}, {m.items} {plural(m.items, "item")}
                  {m.no_address ? `, ${m.no_address} without email` : ""}
                </span>
              </span>
              <Tag tone={tone}>{word}</Tag>
            </button>
          </li>
        );
      })}
    </ul>
  );
}
