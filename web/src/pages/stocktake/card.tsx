import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Download } from "lucide-react";
import { DropdownMenu } from "radix-ui";
import { useRef, type ReactNode } from "react";
import { savePNG, saveSVG } from "../../parts/save";

const item = "block cursor-pointer rounded-field px-3 py-1.5 outline-none data-[highlighted]:bg-wash";

/** A figure on a leaf: what it is called and counts, and the way to take it along. */
export function Card({
  title,
  says,
  does,
  table,
  name,
  drawn,
  children,
}: {
  title: string;
  says?: string;
  /** What can be done to what it lists. */
  does?: ReactNode;
  /** Where its numbers are as CSV. */
  table?: string;
  /** What its files are called. */
  name?: string;
  /** There is a drawing in it, which can be saved. */
  drawn?: boolean;
  children: ReactNode;
}) {
  const leaf = useRef<HTMLElement>(null);
  const drawing = () => leaf.current?.querySelector<SVGSVGElement>("[data-drawing] svg");
  return (
    <section
      ref={leaf}
      aria-label={title}
      className="min-w-0 break-inside-avoid rounded-card border border-line bg-leaf"
    >
      <header className="flex items-baseline gap-3 border-b border-line px-4 py-2.5">
        <div className="flex min-w-0 flex-1 flex-wrap items-baseline gap-x-3">
          <h2 className="text-lead">{title}</h2>
          <p className="text-small text-faded">{says}</p>
        </div>
        {does}
        {(table || name) && (
          <DropdownMenu.Root>
            <DropdownMenu.Trigger
              aria-label={t`Download ${title}`}
              className="self-center rounded-field p-1 text-faded hover:bg-wash print:hidden"
            >
              <Download size={16} aria-hidden />
            </DropdownMenu.Trigger>
            <DropdownMenu.Portal>
              <DropdownMenu.Content
                align="end"
                className="z-30 min-w-36 rounded-card border border-line bg-leaf p-1.5 shadow-lift"
              >
                {table && (
                  <DropdownMenu.Item asChild className={item}>
                    <a href={table} download={`${name ?? "stocktake"}.csv`}>
                      <Trans>CSV</Trans>
                    </a>
                  </DropdownMenu.Item>
                )}
                {name && drawn && (
                  <>
                    <DropdownMenu.Item
                      className={item}
                      onSelect={() => drawing() && saveSVG(drawing()!, `${name}.svg`)}
                    >
                      <Trans>SVG</Trans>
                    </DropdownMenu.Item>
                    <DropdownMenu.Item
                      className={item}
                      onSelect={() => drawing() && void savePNG(drawing()!, `${name}.png`)}
                    >
                      <Trans>PNG</Trans>
                    </DropdownMenu.Item>
                  </>
                )}
              </DropdownMenu.Content>
            </DropdownMenu.Portal>
          </DropdownMenu.Root>
        )}
      </header>
      {children}
    </section>
  );
}

/** A number, with what it counts. */
export function Tile({ number, change, says }: { number: string; change?: string; says: string }) {
  return (
    <div className="rounded-card border border-line bg-leaf px-4 py-3">
      <p>
        <b className="font-serif text-head">{number}</b>{" "}
        {change && <span className="text-small text-faded">{change}</span>}
      </p>
      <p className="text-small text-faded">{says}</p>
    </div>
  );
}

/** Names with numbers. */
export function Lines({ children }: { children: ReactNode }) {
  return <ul className="divide-y divide-line">{children}</ul>;
}

export function Line({ children, number }: { children: ReactNode; number?: ReactNode }) {
  return (
    <li className="flex items-baseline gap-4 px-4 py-2">
      <span className="min-w-0 flex-1 break-words">{children}</span>
      <span className="text-small tabular-nums text-faded">{number}</span>
    </li>
  );
}
