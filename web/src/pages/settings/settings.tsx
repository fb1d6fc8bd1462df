import { TabbedRoom } from "../../parts/tabs";

/** What is set up once. */
export function Settings() {
  return (
    <TabbedRoom
      name="Settings"
      pages={[
        ["/settings/labels", "Labels"],
        ["/settings/sections", "Sections"],
        ["/settings/synonyms", "Synonyms"],
        ["/settings/sets", "Question sets"],
        ["/settings/register", "Register"],
        ["/settings/layouts", "Layouts"],
        ["/settings/connections", "Connections"],
        ["/settings/allowances", "Allowances"],
        ["/settings/people", "People"],
        ["/settings/sign-on", "Sign-on"],
        ["/settings/keys", "Keys"],
        ["/settings/policy", "Policy"],
        ["/settings/channels", "Channels"],
        ["/settings/library", "Library"],
      ]}
    />
  );
}
