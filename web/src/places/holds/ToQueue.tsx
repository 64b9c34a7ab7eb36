import { Link } from "@tanstack/react-router";

/** A title, leading to its queue. */
export const ToQueue = ({ id, title }: { id: number; title: string }) => (
  <Link to="/holds" search={{ title: id }} className="font-semibold hover:underline">
    {title}
  </Link>
);
