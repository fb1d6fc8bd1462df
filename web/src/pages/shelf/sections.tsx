import { t } from "@lingui/core/macro";
import { Link } from "@tanstack/react-router";
import { useSections } from "../../data/sections";

/** The sections of the shelf, each with its number of entries. */
export function Sections() {
  const all = useSections().data?.items ?? [];
  const shown = all.filter((s) => s.total > 0);
  if (shown.length === 0) return null;
  return (
    <nav aria-label={t`Sections`} className="mb-8">
      <ul className="grid gap-4 sm:grid-cols-2 wide:grid-cols-3">
        {shown.map((s) => (
          <li key={s.name}>
            <Link
              to="/sections/$name"
              params={{ name: s.name }}
              className="flex h-full flex-col rounded-card border border-line bg-leaf px-4 py-3 hover:bg-wash"
            >
              <span className="flex items-baseline gap-2">
                <span className="font-serif text-[17px] font-[650]">{s.title}</span>
                <span className="ms-auto text-small font-bold tabular-nums">{s.total}</span>
              </span>
              {s.introduction && (
                <span className="mt-0.5 line-clamp-2 text-small text-faded">{s.introduction}</span>
              )}
            </Link>
          </li>
        ))}
      </ul>
    </nav>
  );
}
