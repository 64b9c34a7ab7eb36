import type { Schema } from "../../api/client";
import { LargePage } from "../../circulation/print";

/** A message as a letter, its address where a window of an envelope shows it. */
export function Letter({ message: m }: { message: Schema["NoticesMessage"] }) {
  return (
    <article className="text-[11pt] leading-snug">
      <LargePage margin="25mm" />
      <address className="mt-[22mm] mb-[24mm] not-italic">
        {m.patron}
        {m.address.split(/\n|, /).map((line) => (
          <span key={line} className="block">
            {line}
          </span>
        ))}
      </address>
      <h1 className="mb-[6mm] text-[13pt] font-bold">{m.subject}</h1>
      <p className="whitespace-pre-wrap">{m.body}</p>
    </article>
  );
}
