import { plural, t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useLocation } from "@tanstack/react-router";
import { useState } from "react";
import { toast } from "sonner";
import { useMissedSearches, useSetSynonyms, useSynonyms } from "../../data/library";
import { useBegun } from "../../data/begun";
import { dateWords } from "../../data/times";
import { Button, ChangedSince, Field, fieldLook, Trouble, Waiting } from "../../parts/basics";

/** Which words mean the same, for whoever searches. */
export function SynonymsPage() {
  const synonyms = useSynonyms();
  return (
    <div className="max-w-[720px]">
      <h1 className="mb-2 text-title max-sm:text-head">
        <Trans>Synonyms</Trans>
      </h1>
      <p className="mb-5 max-w-prose text-faded">
        <Trans>
          Words that mean the same here: whoever looks for one finds entries that say another. A change counts
          from the next search on.
        </Trans>
      </p>
      {synonyms.error ? (
        <Trouble error={synonyms.error} title={t`The lists cannot be shown`} />
      ) : synonyms.data ? (
        <Form read={synonyms.data} />
      ) : (
        <Waiting lines={8} />
      )}
      <MissedSearches />
    </div>
  );
}

/** What colleagues called things that nothing is called here. */
function MissedSearches() {
  const missed = useMissedSearches().data?.items ?? [];
  return (
    <section aria-labelledby="missed" className="mt-8">
      <h2 id="missed" className="border-b-2 border-gilt pb-1 text-lead">
        <Trans>Searched for and not found</Trans>
      </h2>
      <p className="my-1 text-small text-faded">
        <Trans>
          In the last ninety days, without anybody’s name. Say above what it means here, or write what is
          missing.
        </Trans>
      </p>
      {missed.length === 0 && (
        <p>
          <Trans>Whatever was searched for was found.</Trans>
        </p>
      )}
      <ul className="divide-y divide-line">
        {missed.map((m) => (
          <li key={m.words} className="flex gap-4 py-1">
            <span className="min-w-0 flex-1 break-words">{m.words}</span>
            <span className="text-small text-faded tabular-nums">
              <Trans>
                {plural(m.times, { one: "once", other: "# times" })}, last {dateWords(m.last)}
              </Trans>
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

interface Read {
  data: { lists: string[][] };
  etag: string;
}

const linesOf = (read: Read) => read.data.lists.map((l) => l.join(", ")).join("\n");

function Form({ read }: { read: Read }) {
  const { begun, begin, moved } = useBegun(read);
  const whole = linesOf(begun);
  const { means } = useLocation().search as { means?: string };
  const [text, setText] = useState(means ? `${whole}\n${means}, ` : whole);
  const set = useSetSynonyms();
  const lists = begun.data.lists;
  const saved = (now: Read) => {
    begin(now);
    // What is typed while the lists are saved stays.
    setText((typed) => (typed === text ? linesOf(now) : typed));
    toast.success(t`Saved`);
  };
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        set.mutate({ etag: begun.etag, lists: listsOf(text) }, { onSuccess: saved });
      }}
    >
      <Trouble error={set.error} title={t`They stay as they were`} />
      <ChangedSince
        moved={moved}
        begin={() => {
          begin(read);
          setText(linesOf(read));
          set.reset();
        }}
      />
      <Field
        id="synonyms"
        label={plural(lists.length, { one: "1 list", other: "# lists" })}
        hint={t`One list a line, its words parted by commas: vacancy, advert, job posting. Up to four words can stand together.`}
      >
        <textarea
          id="synonyms"
          aria-describedby="synonyms-hint"
          className={`${fieldLook} min-h-[420px] font-mono text-small leading-6`}
          value={text}
          onChange={(e) => setText(e.target.value)}
        />
      </Field>
      <div className="flex gap-3">
        <Button type="submit" weight="main" disabled={set.isPending || text === whole}>
          <Trans>Save</Trans>
        </Button>
        <Button disabled={text === whole} onClick={() => setText(whole)}>
          <Trans>Cancel</Trans>
        </Button>
      </div>
    </form>
  );
}

/** Reads a list a line; empty lines are passed over. */
function listsOf(text: string): string[][] {
  return text
    .split("\n")
    .filter((line) => line.trim())
    .map((line) => line.split(",").map((one) => one.trim()));
}
