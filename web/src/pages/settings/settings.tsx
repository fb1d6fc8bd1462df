import { TabbedRoom } from "../../parts/tabs";

/** What is set up once. */
export function Settings() {
  return (
    <TabbedRoom
      name="Settings"
      pages={[
        ["/settings/labels", "Labels"],
        ["/settings/synonyms", "Synonyms"],
        ["/settings/people", "People"],
        ["/settings/policy", "Policy"],
        ["/settings/channels", "Channels"],
        ["/settings/library", "Library"],
      ]}
    />
  );
}
