import { Link, Outlet, type LinkProps } from "@tanstack/react-router";

/** A room of the curators with several pages, each under an address of its own. */
export function TabbedRoom({
  name,
  pages,
}: {
  name: string;
  pages: [NonNullable<LinkProps["to"]>, string][];
}) {
  const look = "border-b-2 border-transparent pb-1.5 text-faded hover:text-ink";
  const active = { className: "!border-gold font-semibold !text-gold", "aria-current": "page" as const };
  return (
    <>
      <nav
        aria-label={name}
        className="mb-6 flex flex-wrap gap-x-4 gap-y-1 border-b border-line print:hidden"
      >
        {pages.map(([to, title]) => (
          <Link key={to} to={to} className={look} activeProps={active}>
            {title}
          </Link>
        ))}
      </nav>
      <Outlet />
    </>
  );
}
