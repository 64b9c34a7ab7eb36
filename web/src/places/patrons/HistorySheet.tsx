import { LargePage } from "../../circulation/print";

/** A sheet to take home, which explains what is kept of one's lending and how to choose. */
export function HistorySheet({ name }: { name: string }) {
  return (
    <article className="grid gap-[4mm] text-[12pt] leading-snug">
      <LargePage margin="22mm" />
      <h1 className="text-[20pt] font-bold">Your loan history</h1>
      <p>For {name}.</p>
      <p>
        While an item is on loan to you, we know that you have it. After you have returned it and paid any charges, you
        decide how long we keep that record.
      </p>
      <h2 className="text-[14pt] font-bold">For how long</h2>
      <ul className="list-disc pl-[6mm]">
        <li>
          <b>Not at all.</b> The night after you return an item, your name is removed from the loan. Nobody can look it
          up again, not even for you.
        </li>
        <li>
          <b>For a while.</b> One month, six months, a year or five years after the return; then it is deleted.
        </li>
        <li>
          <b>No limit.</b> Until you choose otherwise.
        </li>
        <li>
          <b>Library default.</b> What we do if you choose nothing; ask at the desk what that is now.
        </li>
      </ul>
      <h2 className="text-[14pt] font-bold">Who sees it</h2>
      <p>
        You. Staff see it only if you allow it, and only when they need it to help you. Every access is logged, and we
        tell you who looked if you ask.
      </p>
      <h2 className="text-[14pt] font-bold">“You have had this before”</h2>
      <p>If you keep your history, the desk can tell you when you borrow a title you have had before.</p>
      <h2 className="text-[14pt] font-bold">What we always keep</h2>
      <p>Statistics without names, and what was charged and paid, as accounting requires.</p>
      <p>
        To choose or change your choice, come to any desk with your card. You can also ask for a file of all your data,
        and have it deleted once you have no loans or charges.
      </p>
    </article>
  );
}
