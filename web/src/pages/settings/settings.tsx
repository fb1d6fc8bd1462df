import { t } from "@lingui/core/macro";
import { TabbedRoom } from "../../parts/tabs";

/** What is set up once. */
export function Settings() {
  return (
    <TabbedRoom
      name={t`Settings`}
      pages={[
        ["/settings/labels", t`Labels`],
        ["/settings/sections", t`Sections`],
        ["/settings/synonyms", t`Synonyms`],
        ["/settings/sets", t`Question sets`],
        ["/settings/register", t`Register`],
        ["/settings/layouts", t`Layouts`],
        ["/settings/connections", t`Connections`],
        ["/settings/allowances", t`Allowances`],
        ["/settings/people", t`People`],
        ["/settings/sign-on", "Sign-on"],
        ["/settings/keys", t`Keys`],
        ["/settings/policy", t`Policy`],
        ["/settings/channels", t`Channels`],
        ["/settings/library", t`Library`],
      ]}
    />
  );
}
