import { Link, Outlet } from "@tanstack/react-router";

const pages = [
  ["/settings/policy", "Policy"],
  ["/settings/people", "People"],
  ["/settings/import", "Import and export"],
  ["/settings/alike", "Look-alikes"],
  ["/settings/channels", "Channels"],
  ["/settings/audit", "Audit"],
] as const;

/** The rooms of the curators: each page under its own address. */
export function Settings() {
  const look = "border-b-2 border-transparent pb-1.5 text-faded hover:text-ink";
  const active = { className: "!border-gold font-semibold !text-gold", "aria-current": "page" as const };
  return (
    <>
      <nav aria-label="Settings" className="mb-6 flex flex-wrap gap-6 border-b border-line">
        {pages.map(([to, name]) => (
          <Link key={to} to={to} className={look} activeProps={active}>
            {name}
          </Link>
        ))}
      </nav>
      <Outlet />
    </>
  );
}
