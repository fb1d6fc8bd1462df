import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { toast } from "sonner";
import { takeApart } from "../../data/hooks";
import { useDrawGuide, useStyleFigures, type CharacteristicWord } from "../../data/voices";
import { Button, Trouble } from "../../parts/basics";
import { Difference } from "../../parts/difference";
import type { Editing } from "./editing";

/** What a style's samples say for its text: the guide drawn anew, and words to use and to avoid. */
export function FromSamples({ slug, draft, change }: Editing & { slug: string }) {
  const figures = useStyleFigures(slug).data;
  const draw = useDrawGuide(slug);
  if (!figures) return null;
  if (figures.samples === 0) {
    return (
      <p className="text-faded">
        <Trans>
          Without samples nothing is measured. Bring some on the page “How it reads”, or describe the style in
          your own words.
        </Trans>
      </p>
    );
  }
  const put = async (title: string, make: (text: string) => string) => {
    const asked = draft.body;
    try {
      const body = await withPart(asked, title, make);
      change((now) => {
        if (now.body === asked) return { ...now, body };
        toast.error(t`You have typed since: nothing was done. Try again.`);
        return now;
      });
    } catch (e) {
      toast.error((e as Error).message);
    }
  };
  const compare = async () => draw.mutate(await partOf(draft.body, t`Guide`));
  const drawn = draw.data;
  return (
    <div className="flex flex-col gap-5">
      <div>
        <Button onClick={() => void compare()} disabled={draw.isPending}>
          <Trans>Draw the guide anew</Trans>
        </Button>
        <p className="mt-1 text-small text-faded">
          <Trans>Lines that you have changed stay; what you took out stays away.</Trans>
        </p>
        <Trouble error={draw.error} title={t`It cannot be drawn`} />
        {drawn && (
          <div className="mt-3 rounded-card border border-line bg-leaf p-3">
            <Difference lines={drawn.lines} />
            {drawn.lines.some((l) => l.op !== "same") && (
              <Button
                weight="main"
                className="mt-3"
                onClick={() => void put(t`Guide`, () => drawn.guide).then(() => draw.reset())}
              >
                <Trans>Take it</Trans>
              </Button>
            )}
          </div>
        )}
      </div>
      <Chosen
        title={t`To use: words of its own`}
        all={[...figures.characteristic, ...figures.openings]}
        into={draft.body}
        choose={(w) => void put(t`Use`, (text) => addWord(text, w))}
      />
      <Chosen
        title={t`To avoid: what others say, and it does not`}
        all={figures.avoided}
        into={draft.body}
        choose={(w) => void put(t`Avoid`, (text) => addWord(text, w))}
      />
    </div>
  );
}

/** Words that are proposed, each with one press into the text. */
function Chosen(props: {
  title: string;
  all: CharacteristicWord[];
  into: string;
  choose: (w: string) => void;
}) {
  const open = props.all.filter((w) => !props.into.includes(`“${w.text}”`));
  if (open.length === 0) return null;
  return (
    <div>
      <p className="mb-1 font-semibold">{props.title}</p>
      <p className="flex flex-wrap gap-1.5">
        {open.map((w) => (
          <button
            key={w.text}
            type="button"
            title={t`${w.rate} here, ${w.others} elsewhere`}
            className="rounded-full border border-dashed border-line px-2.5 py-0.5 text-small hover:bg-wash"
            onClick={() => props.choose(w.text)}
          >
            + {w.text}
          </button>
        ))}
      </p>
    </div>
  );
}

function addWord(text: string, word: string): string {
  const lines = text.trimEnd();
  const last = lines.split("\n").at(-1) ?? "";
  if (last.startsWith("“") && last.endsWith("”.")) return `${lines.slice(0, -1)}, “${word}”.\n`;
  return `${lines}${lines ? "\n" : ""}“${word}”.\n`;
}

/** The text under a heading, without the empty lines after it. */
async function partOf(body: string, title: string): Promise<string> {
  const { parts } = await takeApart(body, "style");
  const text = parts.find((p) => p.title.toLowerCase() === title.toLowerCase())?.text.trimEnd();
  return text ? text + "\n" : "";
}

/** The body with another text under a heading, which is added where there is none. */
async function withPart(body: string, title: string, make: (text: string) => string): Promise<string> {
  const is = (p: { title: string }) => p.title.toLowerCase() === title.toLowerCase();
  let { parts } = await takeApart(body, "style");
  if (!parts.some(is)) parts = (await takeApart(body, "style", title)).parts;
  const at = parts.findIndex(is);
  return parts
    .map((p, i) => {
      if (i !== at) return p.heading + p.text;
      const made = make(p.text.trimEnd() ? p.text.trimEnd() + "\n" : "");
      return p.heading + made.trimEnd() + "\n" + (i < parts.length - 1 ? "\n" : "");
    })
    .join("");
}
