import { useCallback, useEffect, useRef, useState } from "react";
import { z } from "zod";
import { api, keyed, type Schema } from "../../../api/client";
import { useMe } from "../../../shell/me";
import { administrates } from "../../../shell/places";
import * as check from "../../../ui/checks";
import { Form, Send, TextField } from "../../../ui/forms";
import { Card, Empty, inputLook } from "../../../ui/parts";
import { plural } from "../../../ui/say";
import { useKeep, type Shown } from "../parts";
import { HoldsSection, InterlibrarySection, LendingSection, MoneySection, ReturnsSection } from "./Counter";
import { DatesSection, EmailSection, RecordsSection, RetentionSection, StationsSection } from "./General";
import { LimitsSection, OnlineSection, PatronFormSection } from "./People";
import { OpenedSettings, type Settings as All } from "./Section";
import { settingsSections } from "./sections";
import { TestMail } from "./TestMail";

/** The network's settings, in sections that can be searched and are saved one by one. */
export function Settings({
  own,
  settings,
  usual,
  section,
}: {
  own: Shown<Schema["UpkeepOwn"]>;
  settings: Shown<All>;
  usual: All;
  /** The section to begin with. */
  section?: string;
}) {
  useEffect(() => {
    if (section) goTo(section);
  }, [section]);
  const [opened, setOpened] = useState(settings); // as they were when this was opened
  const [refused, setRefused] = useState(false);
  const onRefused = useCallback(() => setRefused(true), []);
  const row = refused && settings.seen > opened.seen ? settings : opened;
  const [words, setWords] = useState("");
  const place = useRef<HTMLDivElement>(null);
  const [shown, setShown] = useState<number>(settingsSections.length);
  const onSaved = (saved: Shown<All>) => {
    setOpened(saved);
    setRefused(false);
  };
  const search = (text: string) => {
    setWords(text);
    setShown(filter(place.current, text));
  };
  const admin = administrates(useMe().role);
  return (
    <OpenedSettings value={{ row, usual, onSaved, onRefused }}>
      <div className="z-10 md:sticky md:-top-4 -mx-1 grid gap-2 border-b border-line bg-paper px-1 pt-4 pb-2">
        <div className="flex flex-wrap items-center gap-3">
          <input
            type="search"
            aria-label="Search settings"
            placeholder="Search settings"
            value={words}
            onChange={(e) => search(e.target.value)}
            className={`${inputLook} w-64`}
          />
          {words.trim() !== "" && (
            <p role="status" className="text-sm text-ink-2">
              {shown} {plural(shown, "section")} found
            </p>
          )}
        </div>
        <nav aria-label="Settings" className="flex flex-wrap gap-x-4 gap-y-1 text-sm">
          {settingsSections.map(([id, title]) => (
            <a
              key={id}
              href={`#${id}`}
              onClick={(e) => {
                e.preventDefault();
                goTo(id);
              }}
              className="link"
            >
              {title}
            </a>
          ))}
        </nav>
      </div>
      <div ref={place} className="grid max-w-4xl gap-3.5">
        <Called now={own} />
        <DatesSection />
        <StationsSection />
        <LimitsSection />
        <PatronFormSection />
        <OnlineSection />
        <LendingSection />
        <ReturnsSection />
        <HoldsSection />
        <InterlibrarySection />
        <MoneySection />
        <EmailSection />
        <RecordsSection />
        <RetentionSection />
        {admin && <TestMail />}
      </div>
      {words.trim() !== "" && shown === 0 && <Empty>No setting has all of these words.</Empty>}
    </OpenedSettings>
  );
}

/** Scrolls to a section and into its first field. The part of the address behind the # stays free for the router. */
function goTo(id: string) {
  const section = document.getElementById(id);
  section?.scrollIntoView({ block: "start" });
  section?.querySelector<HTMLElement>("input, select, textarea, button")?.focus({ preventScroll: true });
}

/** Hides the sections in which not all words stand, and counts those that are left. */
function filter(place: HTMLElement | null, words: string) {
  const all = words.toLowerCase().split(/\s+/).filter(Boolean);
  let left = 0;
  for (const section of place?.querySelectorAll<HTMLElement>(":scope > section") ?? []) {
    const text = section.textContent.toLowerCase();
    section.hidden = !all.every((w) => text.includes(w));
    if (!section.hidden) left++;
  }
  return left;
}

const called = z.object({
  name: check.needed("Enter a name."),
  symbol: z
    .string()
    .trim()
    .toUpperCase()
    .regex(/^[A-Z0-9-]{2,16}$/, "Enter 2 to 16 letters, digits or hyphens."),
});

function Called({ now }: { now: Shown<Schema["UpkeepOwn"]> }) {
  const [row, setRow] = useState(now); // as it was when this was opened
  const may = administrates(useMe().role);
  const keep = useKeep<Schema["UpkeepOwn"]>(
    "own",
    "Network name",
    ({ seen, is }, key) => api.PUT("/api/network/own", { params: { header: keyed(key) }, body: { seen, is } }),
    (kept, is) => setRow({ key: "", seen: kept.seen, is }),
  );
  return (
    <Card id="network-name" label="Network name" className="scroll-mt-28 p-3.5">
      <h2 className="font-semibold">Network name</h2>
      <Form
        key={row.seen}
        schema={called}
        start={row.is}
        write={keep}
        onSend={(is) => keep.run({ key: "", seen: row.seen, is })}
        className="mt-2"
      >
        <fieldset disabled={!may} className="flex flex-wrap items-start gap-2.5">
          <TextField name="name" label="Name" width="w-72" />
          <TextField name="symbol" label="Symbol for partners" />
          {may && (
            <Send write={keep} plain className="mt-6">
              Save name
            </Send>
          )}
        </fieldset>
      </Form>
    </Card>
  );
}
