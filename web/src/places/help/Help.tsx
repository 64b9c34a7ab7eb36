import { Link, useNavigate, useSearch } from "@tanstack/react-router";
import { useEffect, useState, type ReactNode } from "react";
import { guidePages, isGuidePage, searchGuide, type GuidePage, type Section } from "../../shell/guide";
import { useGuide } from "../../shell/help";
import { Loading } from "../../ui/loading";
import { Card, Empty, Head, inputLook, Sections } from "../../ui/parts";

const groups = [
  { name: "At work", parts: guidePages.slice(0, 4) },
  { name: "Setting up", parts: guidePages.slice(4) },
];

/** The guide, page by page, and searched. */
export function HelpPlace() {
  const { page: asked, section } = useSearch({ from: "/help" });
  const page: GuidePage = isGuidePage(asked) ? asked : "desk";
  const navigate = useNavigate();
  const [words, setWords] = useState("");
  const guide = useGuide();
  return (
    <div className="grid gap-3.5">
      <Head title="Help" says="How to do things, place by place.">
        <input
          type="search"
          aria-label="Search the guide"
          placeholder="Search the guide"
          value={words}
          onChange={(e) => setWords(e.target.value)}
          className={`${inputLook} w-64`}
        />
      </Head>
      <div className="grid items-start gap-4 md:grid-cols-[11rem_minmax(0,1fr)]">
        <Sections
          label="Guide"
          groups={groups}
          chosen={words.trim() ? "" : page}
          onChoose={(id) => {
            setWords("");
            void navigate({ to: "/help", search: { page: id } });
          }}
        />
        <Loading of={guide} lines={12}>
          {({ sections: all, Text }) =>
            words.trim() ? (
              <Found found={searchGuide(all, words)} onGo={() => setWords("")} />
            ) : (
              <Page sections={all.filter((s) => s.page === page)} section={section} Text={Text} />
            )
          }
        </Loading>
      </div>
    </div>
  );
}

function Page({
  sections,
  section,
  Text,
}: {
  sections: Section[];
  section?: string;
  Text: (props: { text: string }) => ReactNode;
}) {
  useEffect(() => {
    if (section) document.getElementById(section)?.scrollIntoView({ block: "start" });
  }, [section, sections]);
  const [first, ...rest] = sections;
  return (
    <Card label={first?.title} className="grid max-w-3xl gap-6 px-6 py-5">
      <h2 className="text-xl font-semibold">{first?.title}</h2>
      <nav aria-label="On this page" className="flex flex-wrap gap-x-4 gap-y-1">
        {rest.map((s) => (
          <Link key={s.slug} to="/help" search={{ page: s.page, section: s.slug }} className="link">
            {s.heading}
          </Link>
        ))}
      </nav>
      {first?.text && <Text text={first.text} />}
      {rest.map((s) => (
        <section key={s.slug} id={s.slug} aria-label={s.heading} className="scroll-mt-4">
          <h3 className="mb-1.5 text-lg font-semibold">{s.heading}</h3>
          <Text text={s.text} />
        </section>
      ))}
    </Card>
  );
}

function Found({ found, onGo }: { found: Section[]; onGo: () => void }) {
  return (
    <Card label="Found in the guide" className="max-w-3xl">
      <ul className="divide-y divide-line">
        {found.map((s) => (
          <li key={`${s.page} ${s.slug}`} className="px-4 py-2.5">
            <Link
              to="/help"
              search={{ page: s.page, section: s.slug || undefined }}
              onClick={onGo}
              className="link font-semibold"
            >
              {s.heading}
            </Link>{" "}
            <span className="text-sm text-ink-2">{s.title}</span>
            <p className="line-clamp-2 text-sm text-ink-2">{s.text.replace(/[*`#|]|!\[[^\]]*\]\([^)]*\)/g, "")}</p>
          </li>
        ))}
      </ul>
      {found.length === 0 && <Empty>Nothing in the guide has all of these words.</Empty>}
    </Card>
  );
}
