import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { Link, useNavigate, useParams } from "@tanstack/react-router";
import { useSession } from "../../data/hooks";
import { useSection } from "../../data/sections";
import { Button, Empty, Trouble, Waiting } from "../../parts/basics";
import { Book } from "./book";

/** A section of the shelf: what it is about, and its entries. */
export function SectionPage() {
  const { name } = useParams({ strict: false }) as { name: string };
  const session = useSession().data;
  const section = useSection(name);
  const navigate = useNavigate();
  if (section.error) {
    return (
      <div className="flex flex-col items-start gap-4">
        <Trouble error={section.error} title={t`There is no such section`} />
        <Link to="/" className="font-semibold text-gold hover:underline">
          <Trans>Back to the shelf</Trans>
        </Link>
      </div>
    );
  }
  const first = section.data?.pages[0];
  if (!first) return <Waiting lines={9} />;
  const items = section.data?.pages.flatMap((p) => p.items) ?? [];
  return (
    <>
      <div className="mb-1 flex flex-wrap items-baseline gap-x-4">
        <h1 className="text-title">{first.title}</h1>
        <p className="text-faded">{plural(first.total, { one: "1 entry", other: "# entries" })}</p>
        {first.starter && session?.role !== "reader" && (
          <Button
            className="ms-auto"
            onClick={() => void navigate({ to: "/new", search: { section: first.name } })}
          >
            <Trans>New entry for this section</Trans>
          </Button>
        )}
      </div>
      {first.introduction && (
        <p className="mb-6 max-w-prose whitespace-pre-wrap text-faded">{first.introduction}</p>
      )}
      {first.note && <p className="mb-4 rounded-field bg-wash px-3 py-2 text-small">{first.note}.</p>}
      {items.length === 0 && <Empty title={t`Nothing on the shelf is in this section yet`} />}
      <div className="grid grid-cols-1 gap-x-4 gap-y-8 sm:grid-cols-2 wide:grid-cols-4">
        {items.map((i) => (
          <div
            key={i.slug}
            className="grid border-b-[3px] border-gilt shadow-[0_3px_3px_-2px_rgb(0_0_0/0.12)]"
          >
            <Book item={i} />
          </div>
        ))}
      </div>
      {section.hasNextPage && (
        <Button
          className="mt-6"
          disabled={section.isFetchingNextPage}
          onClick={() => void section.fetchNextPage()}
        >
          <Trans>More</Trans>
        </Button>
      )}
    </>
  );
}
