import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import type { Blank } from "../../data/api";
import {
  useReadFills,
  useSetTestBed,
  type Expectation,
  type TestBed,
  type TestFill,
} from "../../data/trials";
import { asText } from "../../data/words";
import { BlankFields } from "../../parts/blankfields";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { TableFile } from "../../parts/tablefile";
import { ExpectationRow } from "./expectation";

/** An entry's fills, and what replies to them must hold to. */
export function TestBedEditor({
  slug,
  etag,
  bed,
  blanks,
}: {
  slug: string;
  etag: string;
  bed: TestBed;
  blanks: Blank[];
}) {
  const [fills, setFills] = useState(bed.fills);
  const [expectations, setExpectations] = useState(bed.expectations);
  const [at, setAt] = useState<number | null>(null); // of the fill that is edited; past the end is a new one
  const change = useSetTestBed(slug);
  const read = useReadFills();
  const changed = fills !== bed.fills || expectations !== bed.expectations;
  return (
    <section aria-labelledby="test-bed" className="mb-8">
      <h2 id="test-bed" className="mb-1 border-b-2 border-gilt pb-1 text-lead">
        <Trans>Test bed</Trans>
      </h2>
      <div className="grid grid-cols-[minmax(0,1fr)] gap-7 wide:grid-cols-2">
        <div>
          <h3 className="mt-2 font-semibold">
            <Trans>Fills</Trans>
          </h3>
          <p className="mb-2 text-small text-faded">
            <Trans>Sets of values as they come in real life, hard ones too.</Trans>
          </p>
          <ul className="divide-y divide-line border-y border-line empty:hidden">
            {fills.map((f, i) => (
              <li key={f.name + i} className="flex items-center gap-3 py-1.5">
                <span className="min-w-0 flex-1 truncate">
                  <b>{f.name}</b>{" "}
                  <span className="text-small text-faded">
                    {Object.values(f.values)
                      .map((v) => asText(v))
                      .join(" · ")}
                  </span>
                </span>
                <Button weight="text" onClick={() => setAt(i)} aria-label={t`Edit ${f.name}`}>
                  <Trans>Edit</Trans>
                </Button>
                <Button
                  weight="text"
                  onClick={() => setFills(fills.filter((_, k) => k !== i))}
                  aria-label={t`Take out ${f.name}`}
                >
                  <Trans>Take out</Trans>
                </Button>
              </li>
            ))}
          </ul>
          <Button className="mt-3" onClick={() => setAt(fills.length)}>
            <Trans>Add a fill</Trans>
          </Button>
          <TableFile
            title={t`From a CSV`}
            hint={t`A column for each blank, and one called name. They come after those that are there.`}
            error={read.error}
            busy={read.isPending}
            read={(file) =>
              void file
                .text()
                .then((csv) => read.mutateAsync(csv))
                .then((out) => setFills([...fills, ...out.fills]))
                .catch(() => undefined)
            }
          />
        </div>
        <div>
          <h3 className="mt-2 font-semibold">
            <Trans>Expectations</Trans>
          </h3>
          <p className="mb-2 text-small text-faded">
            <Trans>What every reply must hold to.</Trans>
          </p>
          <ul className="flex flex-col gap-2">
            {expectations.map((e, i) => (
              <ExpectationRow
                key={i}
                expectation={e}
                set={(now) => setExpectations(expectations.map((x, k) => (k === i ? now : x)))}
                remove={() => setExpectations(expectations.filter((_, k) => k !== i))}
              />
            ))}
          </ul>
          <Button
            className="mt-3"
            onClick={() => setExpectations([...expectations, { kind: "words", most: 120 } as Expectation])}
          >
            <Trans>Add an expectation</Trans>
          </Button>
        </div>
      </div>
      <div className="mt-4 flex flex-col gap-3">
        <Trouble error={change.error} title={t`The test bed is as it was`} />
        {changed && (
          <div className="flex gap-3">
            <Button
              weight="main"
              disabled={change.isPending}
              onClick={() =>
                change.mutate(
                  { etag, body: { fills, expectations } },
                  { onSuccess: () => void toast.success(t`The test bed is saved`) },
                )
              }
            >
              <Trans>Save the test bed</Trans>
            </Button>
            <Button
              onClick={() => {
                setFills(bed.fills);
                setExpectations(bed.expectations);
              }}
            >
              <Trans>Discard</Trans>
            </Button>
          </div>
        )}
      </div>
      {at !== null && (
        <FillDialog
          fill={fills[at] ?? { name: `fill ${fills.length + 1}`, values: {} }}
          blanks={blanks}
          close={() => setAt(null)}
          take={(f) => {
            setFills(at < fills.length ? fills.map((x, k) => (k === at ? f : x)) : [...fills, f]);
            setAt(null);
          }}
        />
      )}
    </section>
  );
}

/** The same for those who do not look after the entry. */
export function TestBedShown({ bed }: { bed: TestBed }) {
  if (bed.fills.length + bed.says.length === 0) return null;
  return (
    <section aria-labelledby="test-bed" className="mb-8">
      <h2 id="test-bed" className="mb-2 border-b-2 border-gilt pb-1 text-lead">
        <Trans>Test bed</Trans>
      </h2>
      <p>
        <b>{plural(bed.fills.length, { one: "One fill", other: "# fills" })}</b>:{" "}
        {bed.fills.map((f) => f.name).join(", ")}.
      </p>
      {bed.says.length > 0 && (
        <p>
          <b>
            <Trans>A reply</Trans>
          </b>{" "}
          {bed.says.join(", ")}.
        </p>
      )}
    </section>
  );
}

function FillDialog({
  fill,
  blanks,
  close,
  take,
}: {
  fill: TestFill;
  blanks: Blank[];
  close: () => void;
  take: (f: TestFill) => void;
}) {
  const [name, setName] = useState(fill.name);
  const [values, setValues] = useState(fill.values);
  return (
    <Dialog open onOpen={close} title={t`A fill`}>
      <div className="flex flex-col gap-4">
        <Field
          id="fill-name"
          label={t`Name`}
          hint={t`What is special about it: at night, two streets, a long name.`}
        >
          <input
            id="fill-name"
            className={fieldLook}
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        </Field>
        <BlankFields blanks={blanks} values={values} problems={[]} onChange={setValues} />
        <Button weight="main" className="self-start" onClick={() => take({ name, values })}>
          <Trans>Take it</Trans>
        </Button>
      </div>
    </Dialog>
  );
}
