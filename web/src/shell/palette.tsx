import { useQuery } from "@tanstack/react-query";
import { useNavigate } from "@tanstack/react-router";
import { Command } from "cmdk";
import { Dialog } from "radix-ui";
import { useMemo, useState } from "react";
import { api, told } from "../api/client";
import { Key } from "../ui/parts";
import { useStill } from "../ui/words";
import { isEmployed, placesFor } from "./places";

export interface Action {
  name: string;
  hint?: string;
  run: () => void;
}

const panel =
  "fixed top-12 max-h-[86vh] overflow-auto left-1/2 z-40 w-[min(520px,94vw)] -translate-x-1/2 rounded-card border border-line-strong bg-surface p-3 shadow-2xl";

/** A page within a place, and where it is. */
export interface Page {
  name: string;
  to: "/holds" | "/items" | "/money" | "/rosters" | "/courier" | "/rulebook" | "/network" | "/patrons" | "/help";
  search?: Record<string, string>;
}

let pagesOf: (role: string) => Page[] = () => [];

/** Says which pages there are; the shell itself knows no place. */
export const offerPages = (pages: (role: string) => Page[]) => {
  pagesOf = pages;
};

/** From so many letters on patrons and titles are looked up too. */
const shortest = 3;
const most = 5;

/**
 * The patrons and titles that match the words, as far as the role may search for them. Each search for patrons is in the access log,
 * so none is made of words that name a page.
 */
function useFound(words: string, role: string, namesPage: boolean) {
  const asked = useStill(words.trim());
  const patrons = useQuery({
    queryKey: ["patrons", "palette", asked],
    enabled: asked.length >= shortest && isEmployed(role) && !namesPage,
    queryFn: () => told(api.GET("/api/patrons", { params: { query: { words: asked, most } } })),
  });
  const titles = useQuery({
    queryKey: ["titles", "palette", asked],
    enabled: asked.length >= shortest,
    queryFn: () => told(api.GET("/api/titles", { params: { query: { words: asked, most } } })),
  });
  return {
    patrons: asked === words.trim() && !namesPage ? (patrons.data?.rows ?? []) : [],
    titles: asked === words.trim() ? (titles.data?.rows ?? []) : [],
  };
}

const itemLook =
  "flex cursor-pointer items-baseline justify-between gap-3 rounded px-3 py-1.5 data-[selected=true]:bg-spruce-100";
const groupLook =
  "[&_[cmdk-group-heading]]:px-3 [&_[cmdk-group-heading]]:pt-2 [&_[cmdk-group-heading]]:text-xs [&_[cmdk-group-heading]]:text-ink-2";

/** Finds places, pages, settings, help, actions, patrons and titles by their names. */
export function Palette({
  open,
  onClose,
  actions,
  role,
}: {
  open: boolean;
  onClose: () => void;
  actions: Action[];
  role: string;
}) {
  return (
    <Dialog.Root open={open} onOpenChange={(o) => !o && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-shade/20" />
        <Dialog.Content className={panel} aria-describedby={undefined}>
          <Dialog.Title className="sr-only">Find anything</Dialog.Title>
          <Finder onClose={onClose} actions={actions} role={role} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function Finder({ onClose, actions, role }: { onClose: () => void; actions: Action[]; role: string }) {
  const navigate = useNavigate();
  const [words, setWords] = useState("");
  const pages = useMemo(() => pagesOf(role), [role]);
  const namesPage = [...actions, ...pages].some(({ name }) => inOrder(name, words) > 0);
  const found = useFound(words, role, namesPage);
  const run = (go: () => void) => () => {
    onClose();
    go();
  };
  return (
    <Command label="Find anything" loop filter={inOrder}>
      <Command.Input
        // eslint-disable-next-line jsx-a11y/no-autofocus -- the dialog was opened to type into it
        autoFocus
        placeholder="A page, a setting, a patron, a title, what to do …"
        value={words}
        onValueChange={setWords}
        className="h-9 w-full rounded-card border border-edge bg-field px-3"
      />
      <Command.List className="mt-2 max-h-96 overflow-auto">
        <Command.Empty className="px-3 py-1.5 text-ink-2">Nothing matches all of these words.</Command.Empty>
        {found.patrons.length > 0 && (
          <Command.Group heading="Patrons" className={groupLook}>
            {found.patrons.map((p) => (
              <Command.Item
                key={p.id}
                value={`patron ${p.id}`}
                keywords={[words]}
                onSelect={run(() => void navigate({ to: "/patrons", search: { patron: p.id } }))}
                className={itemLook}
              >
                {p.name} <span className="text-sm text-ink-2">{p.card}</span>
              </Command.Item>
            ))}
          </Command.Group>
        )}
        {found.titles.length > 0 && (
          <Command.Group heading="Titles" className={groupLook}>
            {found.titles.map((t) => (
              <Command.Item
                key={t.id}
                value={`title ${t.id}`}
                keywords={[words]}
                onSelect={run(() => void navigate({ to: "/items", search: { title: t.id } }))}
                className={itemLook}
              >
                {t.name} <span className="text-sm text-ink-2">{t.author}</span>
              </Command.Item>
            ))}
          </Command.Group>
        )}
        <Command.Group heading="Go to and do" className={groupLook}>
          {actions.map((a) => (
            <Command.Item key={a.name} value={a.name} onSelect={run(a.run)} className={itemLook}>
              {a.name} {a.hint && <Key>{a.hint}</Key>}
            </Command.Item>
          ))}
        </Command.Group>
        <Command.Group heading="Pages" className={groupLook}>
          {pages.map((p) => (
            <Command.Item
              key={p.name}
              value={p.name}
              onSelect={run(() => void navigate({ to: p.to, search: p.search ?? {} }))}
              className={itemLook}
            >
              {p.name}
            </Command.Item>
          ))}
        </Command.Group>
      </Command.List>
    </Command>
  );
}

/** How well a name matches, for cmdk: 0 unless it has all words; better the earlier the first stands. Search results always match. */
function inOrder(name: string, typed: string, keywords: string[] = []) {
  if (keywords.includes(typed)) return 1;
  const text = name.toLowerCase();
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  if (!words.every((w) => text.includes(w))) return 0;
  return 0.9 / (1 + text.indexOf(words[0] ?? ""));
}

/** All keys, for the person who asks. */
export function Keys({ open, onClose, role }: { open: boolean; onClose: () => void; role: string }) {
  const rows: [string, string][] = [
    ["1 … 9, Enter", "Answer the oldest question, in the scan field"],
    ["Esc", "Close what is open, or clear the field"],
    ["Ctrl Enter", "At the desk: finish this patron"],
    ["/", "Go to the scan field"],
    ["w", "Why, for the selected row of a list"],
    ["Delete", "At the desk: undo the selected line"],
    ["g w", "Why, for the newest line"],
    ["↑ ↓", "Move through a list; Enter opens, Space selects"],
    ["[ ]", "Previous and next tab of a place or record"],
    ["Ctrl K", "Find a place, page, setting, patron, title or help"],
    ["?", "Show these shortcuts"],
    ...placesFor(role).map((p): [string, string] => [`g ${p.key}`, `Go to ${p.name}`]),
  ];
  return (
    <Dialog.Root open={open} onOpenChange={(o) => !o && onClose()}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-30 bg-shade/20" />
        <Dialog.Content className={panel} aria-describedby={undefined}>
          <Dialog.Title className="mb-2 text-lg font-semibold">Keyboard shortcuts</Dialog.Title>
          <dl className="grid grid-cols-[110px_1fr] gap-y-1.5">
            {rows.map(([key, what]) => (
              <div key={key} className="contents">
                <dt>
                  <Key>{key}</Key>
                </dt>
                <dd>{what}</dd>
              </div>
            ))}
          </dl>
          <p className="mt-3 text-sm text-ink-2">
            In the scan field press Enter after each of these. Elsewhere single keys act at once; you can turn them off
            in the menu at the top right.
          </p>
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}
