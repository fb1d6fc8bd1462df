import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useNavigate } from "@tanstack/react-router";
import { SlidersHorizontal } from "lucide-react";
import { useState } from "react";
import type { Facet } from "../../data/api";
import type { Narrowing } from "../../data/hooks";
import { Button, fieldLook } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";

type Term = Facet["terms"][number];

/** Which terms of a facet a search is narrowed to. */
export function chosenOf(narrowing: Narrowing, facet: string): string[] {
  const terms = narrowing[facet];
  return Array.isArray(terms) ? terms : terms ? [terms] : [];
}

/** Every facet with its terms, counted, to narrow a search by. */
export function Facets({ facets, narrowing }: { facets: Facet[]; narrowing: Narrowing }) {
  return (
    <div className="flex flex-col gap-6">
      {facets
        .filter((f) => f.terms.length > 0)
        .map((f) => (
          <FacetBox key={f.name} facet={f} narrowing={narrowing} />
        ))}
    </div>
  );
}

/** Where there is no room beside the results: one button, which says how many are chosen. */
export function FacetsDialog({ facets, narrowing }: { facets: Facet[]; narrowing: Narrowing }) {
  const [open, setOpen] = useState(false);
  const chosen = facets.reduce((n, f) => n + chosenOf(narrowing, f.name).length, 0);
  return (
    <div className="mb-3 wide:hidden">
      <Button onClick={() => setOpen(true)} aria-haspopup="dialog">
        <SlidersHorizontal size={16} aria-hidden /> <Trans>Labels</Trans>
        {chosen > 0 && t`: ${chosen} chosen`}
      </Button>
      <Dialog open={open} onOpen={setOpen} title={t`Labels`}>
        <Facets facets={facets} narrowing={narrowing} />
        <div className="sticky bottom-0 mt-4 bg-leaf py-2">
          <Button weight="main" className="w-full" onClick={() => setOpen(false)}>
            <Trans>Show the results</Trans>
          </Button>
        </div>
      </Dialog>
    </div>
  );
}

const shownAtOnce = 8;

/** The chosen terms and the most usual ones; of many, one types which. */
function FacetBox({ facet, narrowing }: { facet: Facet; narrowing: Narrowing }) {
  const [typed, setTyped] = useState("");
  const chosen = chosenOf(narrowing, facet.name);
  const terms = facet.terms.filter((t) => !t.retired || t.count > 0 || chosen.includes(t.name));
  const many = terms.length > shownAtOnce;
  const fits = (t: Term) => `${t.title} ${t.name}`.toLowerCase().includes(typed.trim().toLowerCase());
  const usual = [...terms].sort((a, b) => b.count - a.count).slice(0, shownAtOnce);
  const shown = !many
    ? terms
    : terms.filter((t) => chosen.includes(t.name) || (typed.trim() ? fits(t) : usual.includes(t)));
  return (
    <fieldset>
      <legend className="mb-1 w-full border-b-2 border-gilt pb-1 font-serif font-[650]">{facet.title}</legend>
      {many && (
        <input
          type="search"
          aria-label={t`Find in ${facet.title}`}
          placeholder={t`Find one of ${terms.length}…`}
          className={`${fieldLook} mb-1 !py-1 text-small`}
          value={typed}
          onChange={(e) => setTyped(e.target.value)}
        />
      )}
      {shown.map((t) => (
        <TermBox key={t.name} facet={facet.name} term={t} narrowing={narrowing} />
      ))}
      {shown.length === 0 && (
        <p className="px-1.5 text-small text-faded">
          <Trans>Nothing is called that.</Trans>
        </p>
      )}
    </fieldset>
  );
}

function TermBox({ facet, term, narrowing }: { facet: string; term: Term; narrowing: Narrowing }) {
  const navigate = useNavigate();
  const chosen = chosenOf(narrowing, facet);
  const on = chosen.includes(term.name);
  const toggle = () => {
    const terms = on ? chosen.filter((t) => t !== term.name) : [...chosen, term.name];
    void navigate({ to: "/", search: { ...narrowing, [facet]: terms.length > 0 ? terms : undefined } });
  };
  return (
    <label
      className={`flex cursor-pointer items-center gap-2 rounded-field px-1.5 py-0.5 hover:bg-wash ${on ? "bg-wash font-semibold text-gold" : term.count === 0 ? "text-faded" : ""}`}
    >
      <input type="checkbox" className="size-3.5 accent-gold" checked={on} onChange={toggle} />
      {term.title}
      <span className="ms-auto text-small tabular-nums">{term.count}</span>
    </label>
  );
}
