import { t } from "@lingui/core/macro";
import { Trans } from "@lingui/react/macro";
import { useNavigate } from "@tanstack/react-router";
import { useMutation } from "@tanstack/react-query";
import { Table2 } from "lucide-react";
import { useState } from "react";
import { toast } from "sonner";
import type { Blank } from "../../data/api";
import { useModels } from "../../data/talks";
import { useReadFills, useStartTrial } from "../../data/trials";
import { fillRows, type RowsFormat } from "../../data/use";
import { Button, Field, fieldLook, Trouble } from "../../parts/basics";
import { Choice } from "../../parts/choice";
import { Dialog } from "../../parts/dialog";
import { OneOf } from "../../parts/oneof";
import { save } from "../../parts/save";
import type { StackChoice } from "./stack";

const formats = [
  { value: "zip", name: t`A file each` },
  { value: "csv", name: t`A column` },
  { value: "document", name: t`One document` },
];

const endings: Record<RowsFormat, string> = { zip: ".zip", csv: ".csv", document: ".md" };

/** Fills the entry in for each row of a table. */
export function FillRows({ name, blanks, stack }: { name: string; blanks: Blank[]; stack: StackChoice }) {
  const [open, setOpen] = useState(false);
  const [format, setFormat] = useState<RowsFormat>("zip");
  const [nameBy, setNameBy] = useState("");
  const fill = useMutation({
    mutationFn: (table: File) => fillRows(name, table, { format, name: nameBy || undefined, ...stack }),
    onSuccess: (texts) => {
      save(texts, name + endings[format]);
      setOpen(false);
      toast.success(t`The texts are among your downloads`);
    },
  });
  const models = useModels().data?.items ?? [];
  const [asked, setAsked] = useState(false);
  const [model, setModel] = useState("");
  const navigate = useNavigate();
  const start = useStartTrial(name);
  const read = useReadFills();
  const ask = useMutation({
    mutationFn: async (table: File) => {
      const { fills } = await read.mutateAsync(await table.text());
      const { persona, style, sheets } = stack;
      return start.mutateAsync({
        title: table.name,
        private: true,
        fills,
        set_ups: [{ model: model || models[0]!.name, persona, style, sheets }],
      });
    },
    onSuccess: (t) => void navigate({ to: "/trials/$id", params: { id: t.id } }),
  });
  if (blanks.length === 0) return null;
  return (
    <>
      <Button weight="text" className="mt-3 text-small" onClick={() => setOpen(true)}>
        <Table2 size={14} aria-hidden />
        <Trans>For each row of a table…</Trans>
      </Button>
      <Dialog open={open} onOpen={setOpen} title={t`Fill in for each row of a table`}>
        <div className="flex flex-col gap-4">
          <p>
            <Trans>
              A CSV of up to 10,000 rows, with a column for each blank:{" "}
              <code className="font-mono text-small">{blanks.map((b) => b.name).join(",")}</code>
            </Trans>
          </p>
          <div className="flex flex-col gap-1">
            <span className="font-semibold">
              <Trans>As what should the texts come?</Trans>
            </span>
            <Choice
              label={t`As what the texts come`}
              value={asked ? "replies" : format}
              onChange={(f) => {
                setAsked(f === "replies");
                if (f !== "replies") setFormat(f as RowsFormat);
              }}
              options={
                models.length > 0 ? [...formats, { value: "replies", name: t`Replies of a model` }] : formats
              }
            />
          </div>
          {asked && (
            <Field
              id="rows-model"
              label={t`Which model is asked?`}
              hint={t`Up to 1,000 rows. Only you see the replies, for 30 days; a column called name names them.`}
            >
              <OneOf
                id="rows-model"
                className="!w-56"
                value={model}
                none={models[0]?.title ?? ""}
                of={models.slice(1).map((m) => ({ name: m.name, title: m.title }))}
                set={setModel}
              />
            </Field>
          )}
          {format === "zip" && !asked && (
            <Field id="name-by" label={t`Call the files by`} hint={t`A column of the table, if you like.`}>
              <input
                id="name-by"
                className={fieldLook}
                value={nameBy}
                onChange={(e) => setNameBy(e.target.value)}
              />
            </Field>
          )}
          <Trouble error={asked ? ask.error : fill.error} title={t`Nothing was made`} />
          <Field id="rows-file" label={t`The table`}>
            <input
              id="rows-file"
              type="file"
              accept=".csv,text/csv"
              className="text-small"
              disabled={fill.isPending || ask.isPending}
              onChange={(e) => {
                const file = e.currentTarget.files?.[0];
                e.currentTarget.value = ""; // so that it can be chosen again, once it was put right
                if (file && asked) ask.mutate(file);
                else if (file) fill.mutate(file);
              }}
            />
          </Field>
        </div>
      </Dialog>
    </>
  );
}
