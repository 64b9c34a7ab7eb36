import { useQuery } from "@tanstack/react-query";
import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { api, told } from "../../api/client";
import { Calls } from "../../circulation/calls";
import { useMe } from "../../shell/me";
import { administrates, supervises } from "../../shell/places";
import { Loading } from "../../ui/loading";
import { Head, Tabs } from "../../ui/parts";
import { sayCount } from "../../ui/say";
import { Letters } from "./Letters";
import { Plans } from "./Plans";
import { Runs } from "./Runs";
import { Stuck } from "./Stuck";
import { noticesTabs } from "./tabs";
import { Wordings } from "./Wordings";

/** Notices: what patrons are told, by which plans and in which words; checked before it leaves. */
export function NoticesPlace() {
  const me = useMe();
  const navigate = useNavigate();
  const { tab } = useSearch({ from: "/notices" });
  const chosen = noticesTabs.find(([id]) => id === tab)?.[0] ?? "runs";
  const all = useQuery({ queryKey: ["mailings"], queryFn: () => told(api.GET("/api/mailings")) });
  const trials = all.data?.runs.filter((r) => r.state === "trial").length ?? 0;
  const supervising = supervises(me.role);
  return (
    <div className="grid gap-3.5">
      <Head
        title="Notices"
        says={
          all.data &&
          (trials
            ? `${sayCount(trials, "trial run")} to check before ${trials === 1 ? "it is" : "they are"} sent.`
            : "No trial runs waiting. Each night prepares new ones.")
        }
      />
      {all.data?.mail_off && <MailOff why={all.data.mail_off} administrates={administrates(me.role)} />}
      <Tabs
        label="Notices"
        tabs={noticesTabs.filter(([id]) => supervising || (id !== "plans" && id !== "wordings"))}
        chosen={chosen}
        onChoose={(id) => void navigate({ to: "/notices", search: { tab: id } })}
      />
      {chosen === "runs" && (
        <Loading
          of={all}
          none={(a) => a.runs.length === 0}
          empty="No runs yet. Each night prepares one for each plan if there is somebody to notify."
        >
          {(a) => <Runs runs={a.runs} maySend={supervising} />}
        </Loading>
      )}
      {chosen === "open" && <Loading of={all}>{(a) => <Stuck list={a.stuck} maySettle={supervising} />}</Loading>}
      {chosen === "calls" && <Calls choose />}
      {chosen === "letters" && <Letters />}
      {chosen === "plans" && supervising && <Plans />}
      {chosen === "wordings" && supervising && <Wordings />}
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
