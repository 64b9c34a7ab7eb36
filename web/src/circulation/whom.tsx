import { Link } from "@tanstack/react-router";

/** A patron by name, as a way to their record where the one who looks may open it. */
export function Whom({ id, name, bold }: { id?: number; name: string; bold?: boolean }) {
  const weight = bold ? "font-semibold " : "";
  if (!id) return <span className={weight}>{name}</span>;
  return (
    <Link to="/patrons" search={{ patron: id }} className={`${weight}hover:underline`}>
      {name}
    </Link>
  );
}
