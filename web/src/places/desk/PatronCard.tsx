import { useQuery } from "@tanstack/react-query";
import { PatronCard as Shown } from "../../circulation/patron";
import { changeCard, keepUp, lookAgain, type CardOf } from "./session";

/** The card that is open at the desk. What other stations of the branch change of it shows as soon as it is told. */
export function PatronCard({ card, payIn }: { card: CardOf; payIn: Element | null }) {
  useQuery({
    queryKey: ["patron", card.id, "open here"],
    queryFn: () => keepUp(card.id),
    initialData: 0,
    staleTime: Infinity,
  });
  return (
    <Shown
      key={card.id}
      card={card}
      onCard={(c) => changeCard(c.id, () => c)}
      onStale={() => void lookAgain(card.id)}
      payIn={payIn}
    />
  );
}
