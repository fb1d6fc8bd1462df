import { Trans } from "@lingui/react/macro";
import { Link } from "@tanstack/react-router";
import type { Item } from "../../data/api";
import { useLabels } from "../../data/hooks";
import { pictureAddress } from "../../data/pictures";
import { termTitle, titleOf } from "../../data/words";
import { Spine } from "../../parts/basics";

/** An entry on a board. */
export function Book({ item }: { item: Item }) {
  const labels = useLabels().data;
  const department = item.labels.department?.[0];
  return (
    <Link
      to="/entries/$slug"
      params={{ slug: item.slug }}
      className="flex min-h-[148px] overflow-hidden rounded-t-card border border-b-0 border-line bg-leaf hover:bg-wash"
    >
      <Spine kind={item.kind} />
      <span className="flex min-w-0 flex-1 flex-col px-3.5 py-3">
        <span className="font-serif text-[17px] leading-[21px] font-[650]">{titleOf(item)}</span>
        {item.picture && (
          <img
            src={pictureAddress(item.picture.id, "small")}
            alt={item.picture.alt}
            loading="lazy"
            className="mt-2 h-20 w-full rounded-field border border-line object-cover object-top"
          />
        )}
        <span className="mt-1.5 line-clamp-3 text-small text-faded">{item.summary}</span>
        <span className="mt-auto pt-2 text-small text-faded">
          {department && `${termTitle(labels, "department", department)} · `}
          <Trans>version {item.version}</Trans>
        </span>
      </span>
    </Link>
  );
}
