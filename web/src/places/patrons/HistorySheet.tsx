import { LargePage } from "../../kit/print";

/** A sheet to take home, which explains what is kept of one's lending and how to choose. */
export function HistorySheet({ name }: { name: string }) {
  return (
    <article className="grid gap-[4mm] text-[12pt] leading-snug">
      <LargePage margin="22mm" />
      <h1 className="text-[20pt] font-bold">What we keep of what you borrow</h1>
      <p>For {name}.</p>
      <p>
        As long as you have something, we know that you have it. Once it is back and paid for, how long we still know it
        is for you to say, and for nobody else.
      </p>
      <h2 className="text-[14pt] font-bold">For how long</h2>
      <ul className="list-disc pl-[6mm]">
        <li>
          <b>Not at all.</b> The night after you bring something back, that it was you is deleted. Nobody can look it up
          again, not even for you.
        </li>
        <li>
          <b>For a time.</b> One month, six months, a year or five years after it came back; then it is deleted.
        </li>
        <li>
          <b>Without limit.</b> Until you choose otherwise.
        </li>
        <li>
          <b>As the library keeps it.</b> What we do where you choose nothing; ask at the desk what that is now.
        </li>
      </ul>
      <h2 className="text-[14pt] font-bold">Who sees it</h2>
      <p>
        You. Our staff see it if you allow it, and then only those who need it to help you; every look at it is written
        down, and we tell you who looked if you ask.
      </p>
      <h2 className="text-[14pt] font-bold">“You have had this before”</h2>
      <p>
        If you keep your history, the desk can tell you when you pick up a title that you have had already. Without a
        history it cannot.
      </p>
      <h2 className="text-[14pt] font-bold">What stays in any case</h2>
      <p>
        Our figures: how often something was lent, without saying to whom; and what was charged and paid, as the books
        need it.
      </p>
      <p>
        To choose, or to choose otherwise, come to any desk with your card. You can also have all that we keep of you as
        a file, and be forgotten altogether once you have nothing of ours any more.
      </p>
    </article>
  );
}
