import type { Schema } from "../api/client";

/** Types that several parts of this folder share. */

export type CardOf = Schema["PeopleCard"];

export interface PatronCardProps {
  card: CardOf;
  /** Takes the card as it is now, if it is still shown. */
  onCard: (card: CardOf) => void;
  /** Looks at the card again, after more of it has changed than is known. */
  onStale: () => void;
}
