import { t } from "@lingui/core/macro";
import { useId } from "react";
import { Trouble } from "./basics";

/** A table in a file, sent as it is. */
export function TableFile({
  title,
  hint,
  error,
  busy,
  read,
}: {
  title: string;
  hint: string;
  error: unknown;
  busy: boolean;
  read: (table: File) => void;
}) {
  const id = useId();
  return (
    <div className="mt-5 flex flex-col gap-1.5">
      <label htmlFor={id} className="font-semibold">
        {title}
      </label>
      <p className="text-small text-faded">{hint}</p>
      <Trouble error={error} title={t`Nothing was added`} />
      <input
        id={id}
        type="file"
        accept=".csv,text/csv"
        className="text-small"
        disabled={busy}
        onChange={(e) => {
          const file = e.currentTarget.files?.[0];
          e.currentTarget.value = ""; // so that it can be chosen again, once it was put right
          if (file) read(file);
        }}
      />
    </div>
  );
}
