import { useRef, useState } from "react";
import { api, keyed, type Schema } from "../../api/client";
import { base64 } from "../../ui/bytes";
import { useMe } from "../../shell/me";
import { Button, Card, Quiet, Trouble } from "../../ui/parts";
import { useWrite } from "../../shell/write";
import { smaller } from "./smaller";

type CardOf = Schema["PeopleCard"];

/** The photograph on a record: taken or chosen here, made small before it is sent, and taken off again. */
export function Photograph({ card, onCard }: { card: CardOf; onCard: (card: CardOf) => void }) {
  const keeps = useMe().counter.photos;
  const file = useRef<HTMLInputElement>(null);
  const [trouble, setTrouble] = useState<unknown>();
  const path = { path: { id: card.id } };
  const take = useWrite(
    (picture: string, key) =>
      api.PUT("/api/patrons/{id}/photo", { params: { ...path, header: keyed(key) }, body: { picture } }),
    { name: `photo ${card.id}`, about: `The photograph of ${card.name}`, done: onCard },
  );
  const drop = useWrite(
    (_: void, key) => api.POST("/api/patrons/{id}/photo/drop", { params: { ...path, header: keyed(key) } }),
    { name: `photo off ${card.id}`, about: `Removing the photograph of ${card.name}`, done: onCard },
  );
  if (!keeps) return null;
  const chosen = async (picture?: File) => {
    if (!picture) return;
    setTrouble(undefined);
    await smaller(picture).then((bytes) => take.run(base64(bytes)), setTrouble);
  };
  return (
    <Card label="Photograph" className="grid gap-2 p-3.5">
      <h2 className="font-semibold">Photograph</h2>
      {card.picture && (
        <img src={card.picture} alt={`Photograph of ${card.name}`} className="h-36 w-[6.75rem] rounded object-cover" />
      )}
      {!card.picture && (
        <p className="text-sm text-ink-2">{card.no_picture || "No photograph. The desk shows initials."}</p>
      )}
      <input
        ref={file}
        type="file"
        accept="image/jpeg,image/png"
        capture="user"
        className="sr-only"
        tabIndex={-1}
        aria-label="Picture file"
        onChange={(e) => {
          void chosen(e.target.files?.[0]);
          e.target.value = "";
        }}
      />
      <p className="flex flex-wrap items-center gap-3">
        {!card.no_picture && (
          <Button plain busy={take.busy} onClick={() => file.current?.click()}>
            {card.picture ? "Replace" : "Add photograph"}
          </Button>
        )}
        {card.picture && (
          <Quiet disabled={drop.busy} onClick={() => drop.run()}>
            Remove
          </Quiet>
        )}
      </p>
      <Trouble error={trouble ?? take.problem ?? drop.problem} />
    </Card>
  );
}
