import { useNavigate, useSearch } from "@tanstack/react-router";
import { Head, Tabs } from "../../ui/parts";
import { isEmployed } from "../../shell/places";
import { useMe } from "../../shell/me";
import { Add } from "./Add";
import { Deeds } from "./Deeds";
import { ItemPage } from "./ItemPage";
import { LentNow } from "./LentNow";
import { Many } from "./Many";
import { Shelf } from "./Shelf";
import { Shelves } from "./Shelves";
import { Sought } from "./Sought";
import { TitlePage } from "./TitlePage";
import { Titles } from "./Titles";
import { itemsTabs } from "./tabs";

/** The stock: found, added, labelled, changed, searched for. */
export function ItemsPlace() {
  const me = useMe();
  const navigate = useNavigate();
  const { tab, title, item, code, shelf } = useSearch({ from: "/items" });
  if (item || code) return <ItemPage key={item ?? code} item={item} code={code} />;
  if (title) return <TitlePage key={title} id={title} />;
  if (shelf) return <Shelf key={shelf} id={shelf} />;
  const may = isEmployed(me.role);
  const chosen = (may && itemsTabs.find(([id]) => id === tab)?.[0]) || "titles";
  return (
    <div className="grid gap-3.5">
      <Head title="Items" says="Titles and copies: find, add, change, check." />
      {may && (
        <Tabs
          label="Items"
          tabs={itemsTabs}
          chosen={chosen}
          onChoose={(id) => void navigate({ to: "/items", search: { tab: id } })}
        />
      )}
      {chosen === "titles" && <Titles />}
      {chosen === "add" && <Add />}
      {chosen === "many" && <Many />}
      {chosen === "shelves" && <Shelves />}
      {chosen === "sought" && <Sought />}
      {chosen === "lent" && <LentNow />}
      {chosen === "done" && <Deeds />}
    </div>
  );
}
