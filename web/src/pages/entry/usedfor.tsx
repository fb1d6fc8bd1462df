import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { FolderHeart } from "lucide-react";
import { Popover } from "radix-ui";
import { useState } from "react";
import type { Entry } from "../../data/api";
import { useSession } from "../../data/hooks";
import { projects, setUsedFor } from "../../data/projects";
import { Button, fieldLook } from "../../parts/basics";

/** For which of my own projects I use an entry: kept in this browser, for me alone. */
export function UsedFor({ entry }: { entry: Entry }) {
  const me = useSession().data?.name ?? "";
  const [all, setAll] = useState(() => projects(me));
  const [name, setName] = useState("");
  const mine = all.filter((p) => p.items.some((i) => i.slug === entry.slug));
  return (
    <Popover.Root>
      <Popover.Trigger asChild>
        <Button weight="text">
          <FolderHeart size={14} aria-hidden />
          {mine.length > 0 ? t`Used for ${mine.map((p) => p.name).join(", ")}` : t`Used for…`}
        </Button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          align="start"
          sideOffset={6}
          aria-label={t`Used for`}
          className="z-30 w-72 rounded-card border border-line bg-leaf p-3 text-base shadow-lift"
        >
          {all.map((p) => (
            <label key={p.name} className="flex items-center gap-2 py-1">
              <input
                type="checkbox"
                className="size-4 accent-gold"
                checked={mine.includes(p)}
                onChange={(e) => setAll(setUsedFor(me, p.name, entry, e.target.checked))}
              />
              {p.name}
            </label>
          ))}
          <form
            className="mt-1 flex gap-2"
            onSubmit={(e) => {
              e.preventDefault();
              if (!name.trim()) return;
              setAll(setUsedFor(me, name.trim(), entry, true));
              setName("");
            }}
          >
            <input
              aria-label={t`A new project or area`}
              placeholder={t`A new project or area`}
              maxLength={60}
              className={fieldLook}
              value={name}
              onChange={(e) => setName(e.target.value)}
            />
            <Button type="submit">
              <Trans>Add</Trans>
            </Button>
          </form>
          <p className="mt-2 text-small text-faded">
            <Trans>Only you see this, in this browser.</Trans>
          </p>
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}
