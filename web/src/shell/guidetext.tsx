import { Link } from "@tanstack/react-router";
import Markdown from "react-markdown";
import remarkGfm from "remark-gfm";
import { isGuidePage, pictureAt } from "./guide";

/** Text of the guide as it is read: its links stay in the program, its pictures are those that ship. */
export function GuideText({ text }: { text: string }) {
  return (
    <div className="guide">
      <Markdown
        remarkPlugins={[remarkGfm]}
        components={{
          a: ({ href = "", children }) => <To href={href}>{children}</To>,
          img: ({ src, alt }) => {
            const at = typeof src === "string" ? pictureAt(src) : undefined;
            return at ? <img src={at} alt={alt} loading="lazy" /> : null;
          },
        }}
      >
        {text}
      </Markdown>
    </div>
  );
}

function To({ href, children }: { href: string; children: React.ReactNode }) {
  const [, page, section] = /^([\w-]+)\.md(?:#([\w-]+))?$/.exec(href) ?? [];
  if (isGuidePage(page))
    return (
      <Link to="/help" search={{ page, section }} className="link">
        {children}
      </Link>
    );
  if (/^https?:/.test(href))
    return (
      <a href={href} target="_blank" rel="noreferrer" className="link">
        {children}
      </a>
    );
  return <>{children}</>;
}
