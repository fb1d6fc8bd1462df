import { t } from "@lingui/core/macro";
import { useState, type ReactNode } from "react";
import { useLabels } from "../../data/hooks";
import type { NewChannel } from "../../data/notify";
import { languages } from "../../languages/languages";
import { happened } from "../../data/words";
import { Button, Field, fieldLook } from "../../parts/basics";

interface FormProps {
  start: NewChannel;
  save: (channel: NewChannel) => void;
  trouble: ReactNode;
  button: string;
  busy: boolean;
}

/** What a channel is called, where it is and what it is told of. */
export function ChannelForm({ start, save, trouble, button, busy }: FormProps) {
  const [channel, setChannel] = useState(start);
  const departments = useLabels().data?.find((f) => f.name === "department")?.terms ?? [];
  return (
    <form
      className="flex flex-col gap-4"
      onSubmit={(e) => {
        e.preventDefault();
        save(channel);
      }}
    >
      {trouble}
      <Field id="channel-title" label={t`What is it called?`}>
        <input
          id="channel-title"
          required
          className={fieldLook}
          value={channel.title}
          onChange={(e) => setChannel({ ...channel, title: e.target.value })}
        />
      </Field>
      <Field
        id="channel-url"
        label={t`Address`}
        hint={t`As https://channel.example/hook. Addresses inside the network are allowed by name, where the service is started.`}
      >
        <input
          id="channel-url"
          required
          className={fieldLook}
          value={channel.url}
          onChange={(e) => setChannel({ ...channel, url: e.target.value })}
        />
      </Field>
      <Ticks
        title={t`Told of what is`}
        none={t`all of it`}
        of={Object.entries(happened).map(([name, title]) => ({ name, title }))}
        chosen={channel.actions ?? []}
        set={(actions) => setChannel({ ...channel, actions })}
      />
      <Ticks
        title={t`In`}
        none={t`every department`}
        of={departments}
        chosen={channel.departments ?? []}
        set={(chosen) => setChannel({ ...channel, departments: chosen })}
      />
      <Field id="channel-report" label={t`The report of the stocktake`}>
        <div className="flex flex-wrap gap-3">
          <select
            id="channel-report"
            className={`${fieldLook} !w-auto`}
            value={channel.report ?? ""}
            onChange={(e) => setChannel({ ...channel, report: e.target.value })}
          >
            <option value="">{t`Never`}</option>
            <option value="week">{t`Every week`}</option>
            <option value="month">{t`Every month`}</option>
          </select>
          {channel.report && (
            <select
              aria-label={t`Language of the report`}
              className={`${fieldLook} !w-auto`}
              value={channel.language ?? "en"}
              onChange={(e) => setChannel({ ...channel, language: e.target.value })}
            >
              {Object.entries(languages).map(([code, { name }]) => (
                <option key={code} value={code} lang={code} translate="no">
                  {name}
                </option>
              ))}
            </select>
          )}
        </div>
      </Field>
      <Button type="submit" weight="main" disabled={busy}>
        {button}
      </Button>
    </form>
  );
}

interface TicksOf {
  title: string;
  none: string; // what it means that none is chosen
  of: { name: string; title: string }[];
  chosen: string[];
  set: (chosen: string[]) => void;
}

function Ticks({ title, none, of, chosen, set }: TicksOf) {
  return (
    <fieldset>
      <legend className="mb-1 font-semibold">{title}</legend>
      <div className="flex flex-wrap gap-x-5 gap-y-1">
        {of.map((o) => (
          <label key={o.name} className="flex items-center gap-2">
            <input
              type="checkbox"
              className="accent-gold"
              checked={chosen.includes(o.name)}
              onChange={(e) =>
                set(e.target.checked ? [...chosen, o.name] : chosen.filter((n) => n !== o.name))
              }
            />
            {o.title}
          </label>
        ))}
      </div>
      <p className="text-small text-faded">{chosen.length === 0 && t`None is ticked, so ${none}.`}</p>
    </fieldset>
  );
}
