import { toast } from "sonner";
import { useAlike, useRead } from "../../data/gather";
import { Trouble, Waiting } from "../../parts/basics";
import { LookAlikes } from "../../parts/lookalikes";
import { Places } from "../../parts/places";
import type { Editing } from "./editing";

/** What on the shelf says nearly the same, and places to fill in that are no blanks yet. */
export function Alike({ slug, draft, change }: Editing & { slug: string }) {
  const alike = useAlike(slug, draft.body);
  const places = useRead(draft.body).data?.places ?? [];
  if (alike.error) return <Trouble error={alike.error} />;
  if (!alike.data) return <Waiting lines={4} />;
  return (
    <div className="flex flex-col gap-5">
      {alike.data.items.length === 0 ? (
        <p className="text-faded">Nothing in the library says nearly the same.</p>
      ) : (
        <LookAlikes items={alike.data.items} text={draft.body} />
      )}
      {places.length > 0 && !draft.plain && (
        <Places
          key={draft.body}
          body={draft.body}
          places={places}
          turned={(body, made) => {
            const others = (draft.blanks ?? []).filter((b) => !made.some((m) => m.name === b.name));
            change({ ...draft, body, blanks: [...others, ...made] });
            toast.success("Made blanks of them", { action: { label: "Undo", onClick: () => change(draft) } });
          }}
        />
      )}
    </div>
  );
}
