import { Link, Outlet } from "@tanstack/react-router";

/** The rooms of the curators: each page under its own address. */
export function Settings() {
  const look = "border-b-2 border-transparent pb-1.5 text-faded hover:text-ink";
  const active = { className: "!border-gold font-semibold !text-gold", "aria-current": "page" as const };
  return (
    <>
      <nav aria-label="Settings" className="mb-6 flex flex-wrap gap-6 border-b border-line">
        <Link to="/settings/policy" className={look} activeProps={active}>
          Policy
        </Link>
        <Link to="/settings/import" className={look} activeProps={active}>
          Import and export
        </Link>
        <Link to="/settings/alike" className={look} activeProps={active}>
          Look-alikes
        </Link>
      </nav>
      <Outlet />
    </>
  );
}
