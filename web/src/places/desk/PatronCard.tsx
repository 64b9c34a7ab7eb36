import { PatronCard as Shown } from "../../kit/patron";
import { changeCard, lookAgain, type CardOf } from "./session";

/** The card that is open at the desk. */
export function PatronCard({ card }: { card: CardOf }) {
  return (
    <Shown
      key={card.id}
      card={card}
      onCard={(c) => changeCard(c.id, () => c)}
      onStale={() => void lookAgain(card.id)}
    />
  );
}
