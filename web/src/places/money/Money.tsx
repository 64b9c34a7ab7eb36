import { useNavigate, useSearch } from "@tanstack/react-router";
import { useMe } from "../../shell/me";
import { Head, Tabs } from "../../ui/parts";
import { supervises } from "../../shell/places";
import { Disputes } from "./Disputes";
import { Figures } from "./Figures";
import { Invoices } from "./Invoices";
import { Receipts } from "./Receipts";
import { Refunds } from "./Refunds";
import { Tills } from "./Tills";
import { moneyTabs } from "./tabs";

/** Money: the drawers, what went over the counter, refunds owed, what waits. */
export function MoneyPlace() {
  const me = useMe();
  const navigate = useNavigate();
  const { tab, receipt, patron, invoice } = useSearch({ from: "/money" });
  const chosen = moneyTabs.find(([id]) => id === tab)?.[0] ?? (receipt ? "receipts" : invoice ? "invoices" : "till");
  return (
    <div className="grid gap-3.5">
      <Head
        title="Money"
        says={`Tills, payments, refunds and invoices${supervises(me.role) ? "" : " of your branch"}.`}
      />
      <Tabs
        label="Money"
        tabs={moneyTabs}
        chosen={chosen}
        onChoose={(id) => void navigate({ to: "/money", search: { tab: id } })}
      />
      {chosen === "till" && <Tills />}
      {chosen === "receipts" && <Receipts receipt={receipt} patron={patron} />}
      {chosen === "back" && <Refunds />}
      {chosen === "disputes" && <Disputes />}
      {chosen === "invoices" && <Invoices invoice={invoice} />}
      {chosen === "figures" && <Figures />}
    </div>
  );
}
