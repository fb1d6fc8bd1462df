import { TabbedRoom } from "../../parts/tabs";

/** What a curator does week by week. */
export function Stocktake() {
  return (
    <TabbedRoom
      name="Stocktake"
      pages={[
        ["/stocktake/departments", "Departments"],
        ["/stocktake/similar", "Similar entries"],
        ["/stocktake/trials", "Trials"],
        ["/stocktake/import", "Import and export"],
        ["/stocktake/record", "Record"],
      ]}
    />
  );
}
