import { api, keyed } from "../../api/client";
import { sayCount } from "../../ui/say";
import { TakeBack as Part } from "../../circulation/takeback";
import { useAgain } from "./roster";

/** Takes back what was done to many patrons at once, and says who stays as they are. */
export function TakeBack({ deed, undone, onDone }: { deed: number; undone?: boolean; onDone?: () => void }) {
  const again = useAgain();
  return (
    <Part
      name={`take back ${deed}`}
      about="Undoing a roster change"
      undone={undone}
      send={(key) => api.POST("/api/deeds/{id}/undo", { params: { path: { id: deed }, header: keyed(key) } })}
      stay={(left) => sayCount(left, "member who has changed since", "members who have changed since")}
      onDone={(left) => {
        again();
        if (left === 0) onDone?.();
      }}
    />
  );
}
