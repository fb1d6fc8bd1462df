import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useState } from "react";
import { toast } from "sonner";
import type { Blank, Values } from "../../data/api";
import { useShelfEntry } from "../../data/hooks";
import { useStarters } from "../../data/import";
import { useLayouts } from "../../data/register";
import {
  isOver,
  useLiveReply,
  useModels,
  usePropose,
  useStopReply,
  useTakeProposal,
  useTalk,
  type TalkReply,
} from "../../data/talks";
import { BlankFields } from "../../parts/blankfields";
import { Button, Field, sentence, Trouble } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { Left } from "../../parts/left";
import { OneOf } from "../../parts/oneof";
import { figures } from "../../parts/talkview";
import { replaceText, type Editing } from "./editing";
import { ProposalField } from "./proposalfield";
import { ReadAnswers } from "./readanswers";

// What is known of the draft goes into a helper's blanks of these names; the others are asked.
const known = ["title", "kind", "text", "samples", "questions"];

interface Props extends Editing {
  slug: string;
  flush: () => Promise<boolean>;
}

/** Prompts of the library that help with the writing: what comes back is a proposal. */
export function Help(props: Props) {
  const starters = useStarters().data;
  const [slug, setSlug] = useState("");
  const helpers = [...(starters?.editing ?? []), ...(starters?.helpers ?? [])];
  if (starters && helpers.length === 0) {
    return (
      <p className="text-faded">
        <Trans>No prompt helps with the writing yet: on a prompt's page, a curator says that it does.</Trans>
      </p>
    );
  }
  return (
    <div className="flex flex-col gap-4">
      <Field id="helper" label={t`What a model is asked`}>
        <OneOf
          id="helper"
          value={slug}
          none={t`Choose…`}
          of={helpers.map((h) => ({ name: h.slug, title: h.title }))}
          set={setSlug}
        />
      </Field>
      {slug && <AskFor key={slug} {...props} helper={slug} />}
    </div>
  );
}

function AskFor(props: Props & { helper: string }) {
  const { slug, helper, draft, flush } = props;
  const asks = useShelfEntry(helper).data?.asks ?? [];
  const models = useModels().data?.items ?? [];
  const layouts = useLayouts().data?.items ?? [];
  const [values, setValues] = useState<Values>({});
  const [application, setApplication] = useState("");
  const [chosen, setModel] = useState("");
  const propose = usePropose(slug);
  const model = chosen || models[0]?.name || "";
  if (!model)
    return (
      <p className="text-faded">
        <Trans>No model can be asked yet: a curator makes a connection.</Trans>
      </p>
    );
  const open: Blank[] = asks.filter((b) => !known.includes(b.name) && b.name !== "layout");
  const ask = async () => {
    if (!(await flush())) return;
    propose.mutate({ helper, text: draft.body || undefined, values, for: application || undefined, model });
  };
  return (
    <>
      {asks.some((b) => b.name === "layout") && (
        <Field id="helper-for" label={t`For which application`}>
          <OneOf
            id="helper-for"
            value={application}
            none={t`Choose…`}
            of={layouts.map((l) => ({ name: l.application, title: l.application }))}
            set={setApplication}
          />
        </Field>
      )}
      {open.length > 0 && <BlankFields blanks={open} values={values} problems={[]} onChange={setValues} />}
      <div className="flex flex-wrap items-center gap-2">
        <OneOf
          className="!w-40"
          value={chosen}
          none={models[0]?.title ?? ""}
          of={models.slice(1).map((m) => ({ name: m.name, title: m.title }))}
          set={setModel}
        />
        <Button weight="main" disabled={propose.isPending} onClick={() => void ask()}>
          {propose.data ? t`Ask again` : t`Ask`}
        </Button>
      </div>
      <Left />
      <Trouble error={propose.error} title={t`Nothing was asked`} />
      {propose.data && <Coming key={propose.data.id} {...props} talk={propose.data.id} />}
    </>
  );
}

function Coming(props: Props & { talk: string }) {
  const reply = useTalk(props.talk).data?.replies[0];
  return reply ? <Proposal {...props} reply={reply} /> : null;
}

/** A proposal as it comes; once it is there it is shown against the draft, and taken in part or whole. */
function Proposal({ reply, draft, change }: Props & { reply: TalkReply }) {
  const now = useLiveReply(reply);
  const stop = useStopReply();
  const take = useTakeProposal();
  const [shown, setShown] = useState(false);
  const currency = useModels().data?.currency ?? "";
  const body = draft.body ?? "";
  const taken = () => take.mutate(now.id, { onError: (e) => toast.error(e.message) });
  return (
    <section aria-label={t`Proposal`} className="rounded-card border border-line bg-leaf px-4 py-3">
      <p role="status" className="flex items-center gap-3 text-small text-faded">
        {figures(now, currency)}
        {!isOver(now) && (
          <Button className="ms-auto !py-1" onClick={() => stop.mutate(now.id)}>
            <Trans>Stop</Trans>
          </Button>
        )}
      </p>
      {now.problem && <p className="text-stop">{sentence(now.problem)}</p>}
      <p className="max-h-80 overflow-auto font-serif text-base break-words whitespace-pre-wrap" tabIndex={0}>
        {now.text}
      </p>
      {isOver(now) && now.text && draft.set && (
        <ReadAnswers
          reference={draft.set}
          given={now.text}
          take={(answers) => {
            change((d) => ({ ...d, answers: { ...d.answers, ...answers } }));
            taken();
            toast.success(t`The answers stand in the sheet`);
          }}
        />
      )}
      {isOver(now) && now.text && !draft.set && (
        <Button className="mt-3" onClick={() => setShown(true)}>
          <Trans>See what would change</Trans>
        </Button>
      )}
      <Dialog open={shown} onOpen={setShown} wide title={t`What ${now.model} proposes`}>
        <Weighed
          text={body}
          proposed={`${now.text.trimEnd()}\n`}
          put={(text) => {
            replaceText(change, body, (d) => ({ ...d, body: text }), t`The proposal stands in the draft`);
            taken();
            setShown(false);
          }}
        />
      </Dialog>
    </section>
  );
}

/** A proposal against the text, of which each part can be left out. */
function Weighed(props: { text: string; proposed: string; put: (text: string) => void }) {
  const [result, setResult] = useState(props.proposed);
  const same = result === props.text;
  return (
    <>
      <p className="mb-3 text-faded">
        <Trans>
          What the model would add is marked; what it would take out is struck through. Leave out the parts
          that you do not want, or change the words, and put the rest in place.
        </Trans>
      </p>
      <ProposalField text={props.text} proposed={props.proposed} onChange={setResult} />
      <p className="mt-4 flex gap-3">
        <Button weight="main" disabled={same} onClick={() => props.put(result)}>
          <Trans>Put this in place</Trans>
        </Button>
        {same && (
          <span className="self-center text-faded">
            <Trans>Nothing is left of it: the draft reads so.</Trans>
          </span>
        )}
      </p>
    </>
  );
}
