import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useNavigate } from "@tanstack/react-router";
import { Copy, Languages } from "lucide-react";
import { useState } from "react";
import { toast } from "sonner";
import type { Entry } from "../../data/api";
import { useLabels } from "../../data/hooks";
import { useAdapt, useAddRendition } from "../../data/origin";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";
import { Dialog } from "../../parts/dialog";
import { OneOf } from "../../parts/oneof";

/** Makes an entry one's own, for a project or a department. */
export function Adapt({ entry }: { entry: Entry }) {
  const [open, setOpen] = useState(false);
  const [purpose, setPurpose] = useState("");
  const [department, setDepartment] = useState("");
  const adapt = useAdapt(entry.slug);
  const navigate = useNavigate();
  return (
    <>
      <Button weight="text" onClick={() => setOpen(true)}>
        <Copy size={14} aria-hidden />
        <Trans>Make it mine</Trans>
      </Button>
      <Dialog open={open} onOpen={setOpen} title={t`Make it mine`}>
        <form
          className="flex flex-col gap-4"
          onSubmit={(e) => {
            e.preventDefault();
            adapt.mutate(
              { purpose, department: department || undefined },
              {
                onSuccess: (mine) => {
                  toast.success(t`It is yours alone, until you share it or submit it`);
                  void navigate({ to: "/entries/$slug/edit", params: { slug: mine.slug } });
                },
              },
            );
          }}
        >
          <p>
            <Trans>
              You get a copy that remembers where it came from. Only you see it, until you share it or submit
              it for review.
            </Trans>
          </p>
          <Trouble error={adapt.error} title={t`It was not made`} />
          <Field id="adapt-purpose" label={t`What is it for?`} hint={t`A project or a use: the open day.`}>
            <input
              id="adapt-purpose"
              maxLength={100}
              className={fieldLook}
              value={purpose}
              onChange={(e) => setPurpose(e.target.value)}
            />
          </Field>
          <Term
            facet="department"
            label={t`For which department?`}
            none={t`As it is now`}
            value={department}
            set={setDepartment}
          />
          <Button type="submit" weight="main" disabled={adapt.isPending}>
            <Trans>Make it mine</Trans>
          </Button>
        </form>
      </Dialog>
    </>
  );
}

/** Makes an entry that says the same in another language, or for another application or model. */
export function Render({ entry }: { entry: Entry }) {
  const [open, setOpen] = useState(false);
  const [language, setLanguage] = useState("");
  const [application, setApplication] = useState("");
  const [model, setModel] = useState("");
  const add = useAddRendition(entry.slug);
  const navigate = useNavigate();
  return (
    <>
      <Button weight="text" onClick={() => setOpen(true)}>
        <Languages size={14} aria-hidden />
        <Trans>Rendition</Trans>
      </Button>
      <Dialog open={open} onOpen={setOpen} title={t`Add a rendition`}>
        <form
          className="flex flex-col gap-4"
          onSubmit={(e) => {
            e.preventDefault();
            add.mutate(
              {
                language: language || undefined,
                application: application || undefined,
                model: model || undefined,
              },
              {
                onSuccess: (made) =>
                  void navigate({ to: "/entries/$slug/edit", params: { slug: made.slug } }),
              },
            );
          }}
        >
          <p>
            <Trans>
              Whoever asks for {entry.title} gets the rendition that suits them: by their language, and by the
              application that they ask for.
            </Trans>
          </p>
          <Trouble error={add.error} title={t`It was not made`} />
          <Field id="render-language" label={t`In which language?`} hint={t`A tag, such as cy or pt-BR.`}>
            <input
              id="render-language"
              className={fieldLook}
              value={language}
              onChange={(e) => setLanguage(e.target.value)}
            />
          </Field>
          <Term
            facet="application"
            label={t`For which application?`}
            none={t`The same`}
            value={application}
            set={setApplication}
          />
          <Term facet="model" label={t`For which model?`} none={t`The same`} value={model} set={setModel} />
          <Button type="submit" weight="main" disabled={add.isPending}>
            <Trans>Add</Trans>
          </Button>
        </form>
      </Dialog>
    </>
  );
}

function Term(props: {
  facet: string;
  label: string;
  none: string;
  value: string;
  set: (term: string) => void;
}) {
  const terms = useLabels().data?.find((f) => f.name === props.facet)?.terms ?? [];
  const id = `derive-${props.facet}`;
  return (
    <Field id={id} label={props.label}>
      <OneOf
        id={id}
        value={props.value}
        set={props.set}
        none={props.none}
        of={terms.filter((t) => !t.retired)}
      />
    </Field>
  );
}
