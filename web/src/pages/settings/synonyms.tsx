import { useState } from "react";
import { toast } from "sonner";
import { useSetSynonyms, useSynonyms } from "../../data/library";
import { Button, Field, fieldLook, Trouble, Waiting } from "../../parts/basics";

/** Which words mean the same, for whoever searches. */
export function SynonymsPage() {
  const synonyms = useSynonyms();
  return (
    <div className="max-w-[720px]">
      <h1 className="mb-2 text-title max-sm:text-head">Synonyms</h1>
      <p className="mb-5 max-w-prose text-faded">
        Words that mean the same here: whoever looks for one finds entries that say another. A change counts
        from the next search on.
      </p>
      {synonyms.error ? (
        <Trouble error={synonyms.error} title="The lists cannot be shown" />
      ) : synonyms.data ? (
        <Form key={synonyms.data.etag} etag={synonyms.data.etag} lists={synonyms.data.data.lists} />
      ) : (
        <Waiting lines={8} />
      )}
    </div>
  );
}

function Form({ etag, lists }: { etag: string; lists: string[][] }) {
  const whole = lists.map((l) => l.join(", ")).join("\n");
  const [text, setText] = useState(whole);
  const set = useSetSynonyms();
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        set.mutate({ etag, lists: listsOf(text) }, { onSuccess: () => toast.success("Saved") });
      }}
    >
      <Trouble error={set.error} title="They stay as they were" />
      <Field
        id="synonyms"
        label={lists.length === 1 ? "1 list" : `${lists.length} lists`}
        hint="One list a line, its words parted by commas: vacancy, advert, job posting. Up to four words can stand together."
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
          Save
        </Button>
        <Button disabled={text === whole} onClick={() => setText(whole)}>
          Cancel
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
