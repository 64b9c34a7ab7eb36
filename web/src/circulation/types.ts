import type { Schema } from "../api/client";

/** What parts of the kit share, so that none has to know another for it. */

export type CardOf = Schema["PeopleCard"];

export interface PatronCardProps {
  card: CardOf;
  /** Takes the card as it is now, if it is still shown. */
  onCard: (card: CardOf) => void;
  /** Looks at the card again, after more of it has changed than is known. */
  onStale: () => void;
}
