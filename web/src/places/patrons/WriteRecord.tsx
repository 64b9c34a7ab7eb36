import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useAskAgain } from "../../api/asked";
import { Link, useNavigate } from "@tanstack/react-router";
import { useEffect, useState, type ReactNode } from "react";
import { useFormContext } from "react-hook-form";
import { api, keyed, told, type Schema } from "../../api/client";
import { Foot, DateField, Form, Send } from "../../ui/forms";
import { Loading } from "../../ui/loading";
import { Card, Head } from "../../ui/parts";
import { useTop } from "../../ui/top";
import { useWrite } from "../../shell/write";
import { draftOf, dropDraft, keepDraft } from "./drafts";
import { Fields, FormIs } from "./Fields";
import { Likely, useKnown } from "./Likely";
import { recordOf, recordToChange } from "./recordOf";
import { agreedOf, empty, nextOf, schema, toRecord, toSaid, useSaid, type Said } from "./record";

type Written = Schema["PeopleWritten"];

export const useTheForm = () =>
  useQuery({ queryKey: ["patron form"], queryFn: () => told(api.GET("/api/patron-form")), staleTime: 60_000 });

/** Registering somebody: nobody yet, or the next of the household of somebody who is here. */
export function Join({ household }: { household?: number }) {
  const form = useTheForm();
  const before = useQuery(recordOf(household));
  useTop();
  return (
    <div className="grid gap-3.5">
      <Head
        title="Register somebody"
        says={
          household
            ? `New member of the household of ${before.data?.card.legal_name ?? "…"}.`
            : "Check for duplicates first, including former patrons."
        }
      >
        <Link to="/patrons" search={{}} className="link">
          Search patrons instead
        </Link>
      </Head>
      <Loading of={form}>
        {(f) =>
          household && !before.data ? (
            <Loading of={before}>{() => null}</Loading>
          ) : (
            <FormIs value={f}>
              <New key={household} form={f} before={before.data} />
            </FormIs>
          )
        }
      </Loading>
    </div>
  );
}

/** The form for somebody new: written down here, or completed of what somebody wrote who signed up. */
export function New({
  form,
  before,
  signUp,
}: {
  form: Schema["PeopleForm"];
  before?: Written;
  signUp?: Schema["SignupsWhole"];
}) {
  const navigate = useNavigate();
  const askAgain = useAskAgain();
  const queries = useQueryClient();
  const household = signUp ? -signUp.id : before?.card.id;
  const draft = draftOf(household);
  const [others, setOthers] = useState<number[]>(draft?.others ?? []);
  const [next, setNext] = useState(false);
  const start =
    signUp?.record ??
    (before ? nextOf(before.record, before.card.id, !before.minor) : { ...empty, branch: form.branch });
  const join = useWrite(
    (body: Schema["PeopleJoining"], key) =>
      signUp
        ? api.POST("/api/sign-ups/{id}/taken", { params: { path: { id: signUp.id }, header: keyed(key) }, body })
        : api.POST("/api/patrons", { params: { header: keyed(key) }, body }),
    {
      name: `join ${household ?? 0}`,
      about: (j) => `Registering ${j.legal_name}`,
      done: (w) => {
        dropDraft(household);
        askAgain("patrons", "sign-ups");
        queries.setQueryData(["patron", w.card.id], w.card);
      },
      go: (w) =>
        void navigate({
          to: "/patrons",
          search: next ? { form: "new", household: w.card.id } : { patron: w.card.id },
        }),
    },
  );
  return (
    <Form
      label="Register somebody"
      schema={schema}
      start={draft?.said ?? toSaid(start, before && !before.minor ? before.card.legal_name : (before?.guardian ?? ""))}
      write={join}
      onSend={(v) =>
        join.run({
          ...toRecord(v, 0),
          agreed: v.institution ? [] : agreedOf(v.agreed),
          with: before?.card.id,
          anyway: others,
        })
      }
      className="grid items-start gap-3.5 lg:grid-cols-[minmax(0,1fr)_300px]"
    >
      <KeepDraft others={others} household={household} done={join.busy} />
      <Inside but={signUp?.patron ?? 0} isNew others={others} onOther={(id) => setOthers([...others, id])}>
        <div className="mt-3.5 flex flex-wrap items-end gap-2.5 border-t border-line pt-3">
          <CardField />
          <DateField name="card_until" label="Card expires" />
        </div>
        <div className="flex flex-wrap gap-2 pt-3">
          <span className="contents" onClickCapture={() => setNext(false)}>
            <Send write={join}>Register</Send>
          </span>
          <span className="contents" onClickCapture={() => setNext(true)}>
            <Send write={join} plain>
              Register and add household member
            </Send>
          </span>
        </div>
      </Inside>
    </Form>
  );
}

/** Keeps what is written down while one is elsewhere; once it is registered there is nothing to keep. */
function KeepDraft({ others, household, done }: { others: number[]; household?: number; done: boolean }) {
  const { subscribe, getValues } = useFormContext<Said>();
  useEffect(() => {
    if (done) return undefined;
    keepDraft(getValues(), others, household);
    return subscribe({ formState: { values: true }, callback: ({ values }) => keepDraft(values, others, household) });
  }, [subscribe, getValues, others, household, done]);
  return null;
}

/** A card scanned into its field is taken there; without one the next free number is given. */
function CardField() {
  const { register } = useFormContext<Said>();
  return (
    <label className="grid gap-1 text-sm text-ink-2">
      Card
      <input
        {...register("card")}
        data-takes-scans=""
        data-here-scans=""
        placeholder="next free number"
        autoComplete="off"
        className="h-8 min-w-56 rounded-card border border-edge bg-field px-2 font-mono"
      />
    </label>
  );
}

/** The fields, and beside them who may be the same person. */
function Inside({
  but,
  isNew,
  others,
  onOther,
  children,
}: {
  but: number;
  isNew: boolean;
  others: number[];
  onOther: (id: number) => void;
  children: ReactNode;
}) {
  const known = {
    name: useSaid("legal_name"),
    born: useSaid("born"),
    email: useSaid("email"),
    phone: useSaid("phone"),
    card: useSaid("card"),
    class: useSaid("class"),
  };
  const { enough, found } = useKnown(known, but);
  return (
    <>
      <Card label="Record" className="p-3.5">
        <Fields isNew={isNew} known={found} />
        {children}
      </Card>
      <Likely rows={enough ? (found?.likely ?? []) : []} enough={enough} others={others} onOther={onOther} />
    </>
  );
}

/** Changing a record. What others change meanwhile is not lost: who has not seen it is told. */
export function ChangeRecord({ id }: { id: number }) {
  useTop();
  const form = useTheForm();
  const record = useQuery(recordToChange(id));
  return (
    <Loading of={form}>
      {(f) => (
        <Loading of={record}>
          {(w) => (
            <FormIs value={f}>
              <Change written={w} oneAddress={f.one_address} />
            </FormIs>
          )}
        </Loading>
      )}
    </Loading>
  );
}

function Change({ written: w, oneAddress }: { written: Written; oneAddress: boolean }) {
  const navigate = useNavigate();
  const askAgain = useAskAgain();
  const queries = useQueryClient();
  const [forAll, setForAll] = useState(oneAddress);
  const back = () => void navigate({ to: "/patrons", search: { patron: w.card.id } });
  const change = useWrite(
    (body: Schema["PeopleChanging"], key) =>
      api.PUT("/api/patrons/{id}/record", { params: { path: { id: w.card.id }, header: keyed(key) }, body }),
    {
      name: `record ${w.card.id}`,
      about: `The record of ${w.card.legal_name}`,
      done: (after) => {
        queries.setQueryData(["patron", w.card.id], after.card);
        askAgain("record", "history", "patrons");
      },
      go: back,
    },
  );
  return (
    <div className="grid gap-3.5">
      <Head
        title={`Record of ${w.card.legal_name}`}
        says={w.members.length > 0 && `A household of ${w.members.length + 1}.`}
      />
      <Form
        label="Record"
        schema={schema}
        start={toSaid(w.record, w.guardian)}
        write={change}
        onSend={(v) => change.run({ ...toRecord(v, w.record.household), revision: w.revision, for_household: forAll })}
        className="grid items-start gap-3.5 lg:grid-cols-[minmax(0,1fr)_300px]"
      >
        <Inside but={w.card.id} isNew={false} others={[]} onOther={() => {}}>
          <div className="flex flex-wrap items-end gap-3 border-t border-line pt-3">
            <DateField name="card_until" label="Card expires" />
            {w.members.length > 0 && (
              <label className="flex items-center gap-2 text-sm text-ink-2">
                <input type="checkbox" checked={forAll} onChange={(e) => setForAll(e.target.checked)} /> Apply new
                address to the whole household
              </label>
            )}
          </div>
          <Foot write={change} onLeave={back} className="pt-3">
            Save
          </Foot>
        </Inside>
      </Form>
    </div>
  );
}
