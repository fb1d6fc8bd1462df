import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { createImport } from "../../data/import";
import { Button, Trouble } from "../../parts/basics";
import { PlanOf } from "./plan";

/** Entries come in by a plan that is seen first, and go out in open formats. */
export function ImportPage() {
  const [id, setId] = useState("");
  const [busy, setBusy] = useState(false);
  const [over, setOver] = useState(false);
  const [error, setError] = useState<unknown>(null);
  const read = async (file: File | undefined) => {
    if (!file) return;
    setBusy(true);
    setError(null);
    try {
      setId((await createImport(file)).id);
    } catch (e) {
      setError(e);
    }
    setBusy(false);
  };
  if (id) return <PlanOf key={id} id={id} done={() => setId("")} />;
  return (
    <>
      <h1 className="mb-2 text-title max-sm:text-head">
        <Trans>Import and export</Trans>
      </h1>
      <p className="mb-5 max-w-prose text-faded">
        <Trans>
          An entry file, a zip of them, a table, a chat or a whole library. You see what would become of each
          entry before anything is imported.
        </Trans>
      </p>
      <Trouble error={error} title={t`It cannot be read`} />
      <label
        className={`mt-3 flex cursor-pointer flex-col items-center gap-2 rounded-card border border-dashed px-6 py-12 text-center focus-within:border-gold ${over ? "border-gold bg-wash" : "border-line"}`}
        onDragOver={(e) => {
          e.preventDefault();
          setOver(true);
        }}
        onDragLeave={() => setOver(false)}
        onDrop={(e) => {
          e.preventDefault();
          setOver(false);
          void read(e.dataTransfer.files[0]);
        }}
      >
        <span className="text-lead">{busy ? t`Reading …` : t`Drop a file here, or choose one`}</span>
        <span className="text-small text-faded">
          <Trans>.md, .zip, .csv, .json · 64 MiB at most</Trans>
        </span>
        <input
          type="file"
          aria-label={t`File to import`}
          className="max-w-full text-small"
          accept=".md,.zip,.csv,.tsv,.json"
          disabled={busy}
          onChange={(e) => void read(e.target.files?.[0])}
        />
      </label>
      <section aria-labelledby="out" className="mt-9">
        <h2 id="out" className="mb-3 border-b-2 border-gilt pb-1 text-lead">
          <Trans>Export</Trans>
        </h2>
        <div className="flex flex-wrap gap-3">
          <Out format="folder" name={t`Entry files (zip)`} />
          <Out format="csv" name={t`Table (CSV)`} />
          <Out format="bundle" name={t`Library with all versions (JSON)`} />
        </div>
      </section>
    </>
  );
}

function Out({ format, name }: { format: string; name: string }) {
  return (
    <a href={`/api/v1/export?format=${format}`} download>
      <Button tabIndex={-1}>{name}</Button>
    </a>
  );
}
