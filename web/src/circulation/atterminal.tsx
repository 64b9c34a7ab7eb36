import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { z } from "zod";
import { api, keyed, told, type Schema } from "../api/client";
import * as check from "../ui/checks";
import { ChoiceField, Form, Send, TextField } from "../ui/forms";
import { useMe } from "../shell/me";
import { Quiet, Trouble } from "../ui/parts";
import { isEmployed } from "../shell/places";
import { PrintSlip } from "./print";
import { sayMoney } from "../ui/say";
import { useStationHere } from "../shell/settings";
import { useWrite } from "../shell/write";

type CardPayment = Schema["AccountsCardPayment"];

/** The station that this is, where it has a card terminal. */
export function useTerminalHere() {
  const here = useStationHere();
  return useMe().stations.find((s) => String(s.id) === here && s.cards)?.id;
}

/** Payments at card terminals of this branch that have not ended. */
export function useCardPayments() {
  const enabled = isEmployed(useMe().role);
  const list = useQuery({
    queryKey: ["card payments"],
    queryFn: () => told(api.GET("/api/money/at-terminal")),
    enabled,
  });
  return list.data?.rows ?? [];
}

/** A payment at a card terminal, until it has ended; then how it ended. Nothing waits for it: scanning goes on meanwhile. */
export function AtTerminal({ id, onEnded }: { id: number; onEnded: (p: CardPayment) => void }) {
  const me = useMe();
  const asked = useQuery({
    queryKey: ["card payment", id],
    queryFn: () => told(api.GET("/api/money/at-terminal/{id}", { params: { path: { id } } })),
    refetchInterval: (q) => (q.state.data?.ended ? false : 1000),
  });
  const p = asked.data;
  const stop = useWrite(
    (_: void, key) => api.POST("/api/money/at-terminal/{id}/stop", { params: { path: { id }, header: keyed(key) } }),
    { name: `stop card payment ${id}`, about: "Cancelling a card payment", done: () => void asked.refetch() },
  );
  const ended = p?.ended ?? false;
  useEffect(() => {
    if (p && ended) onEnded(p);
    // Once, when it has ended.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [ended]);
  if (!p) return <Trouble error={asked.error} />;
  if (p.state === "taken")
    return (
      <p role="status" className="rounded-card bg-spruce-100 px-3 py-2 text-spruce-700">
        Received {sayMoney(p.sum)} by card.{" "}
        <PrintSlip of={{ kind: "receipt", id: p.receipt ?? 0 }}>Print receipt</PrintSlip>
      </p>
    );
  return (
    <div role="status" className="grid gap-1.5 rounded-card border-l-4 border-l-amber-500 bg-amber-100 px-3 py-2">
      <p>
        <b className="font-semibold tabular-nums">{sayMoney(p.sum)}</b> by card. {p.says}
      </p>
      {!ended && (
        <p className="flex flex-wrap items-baseline gap-x-3 text-sm">
          {p.state === "asked" && (
            <Quiet disabled={stop.busy} onClick={() => stop.run()}>
              Cancel payment
            </Quiet>
          )}
          {me.terminals && (
            <a className="underline" href={me.terminals} target="_blank" rel="noreferrer">
              Open the simulated terminals
            </a>
          )}
          <Trouble error={stop.problem} />
        </p>
      )}
      {p.silent && <EndByHand id={id} onEnd={() => void asked.refetch()} />}
    </div>
  );
}

const byHand = z
  .object({ how: z.enum(["taken", "not"]), number: check.text, reason: check.needed("Enter how you know.") })
  .refine((v) => v.how !== "taken" || v.number !== "", {
    path: ["number"],
    message: "Enter the number on the terminal’s slip.",
  });

/** How a payment ended whose terminal does not answer, as somebody has seen it. */
function EndByHand({ id, onEnd }: { id: number; onEnd: () => void }) {
  const [open, setOpen] = useState(false);
  const end = useWrite(
    (v: z.infer<typeof byHand>, key) =>
      api.POST("/api/money/at-terminal/{id}/end", {
        params: { path: { id }, header: keyed(key) },
        body: { taken: v.how === "taken", number: v.number || undefined, reason: v.reason },
      }),
    { name: `end card payment ${id}`, about: "Recording how a card payment ended", done: onEnd },
  );
  if (!open) return <Quiet onClick={() => setOpen(true)}>Record outcome</Quiet>;
  return (
    <Form
      label="Outcome"
      schema={byHand}
      start={{ how: "not", number: "", reason: "" }}
      write={end}
      onSend={end.run}
      className="grid gap-2"
    >
      <ChoiceField
        name="how"
        label="Outcome"
        options={[
          ["not", "The card was not charged, or was refunded"],
          ["taken", "The card was charged"],
        ]}
      />
      <TextField name="number" label="Number on the terminal’s slip" />
      <TextField name="reason" label="How do you know?" />
      <span className="flex items-center gap-3">
        <Send write={end}>Save outcome</Send>
        <Quiet onClick={() => setOpen(false)}>Cancel</Quiet>
      </span>
    </Form>
  );
}
