import { TabbedRoom } from "../../parts/tabs";

/** What a curator does week by week. */
export function Stocktake() {
  return (
    <TabbedRoom
      name="Stocktake"
      pages={[
        ["/stocktake/figures", "Figures"],
        ["/stocktake/use", "Use"],
        ["/stocktake/freshness", "Freshness"],
        ["/stocktake/contributors", "Contributors"],
        ["/stocktake/quality", "Quality"],
        ["/stocktake/costs", "Costs"],
        ["/stocktake/departments", "Departments"],
        ["/stocktake/similar", "Similar entries"],
        ["/stocktake/trials", "Trials"],
        ["/stocktake/import", "Import and export"],
        ["/stocktake/record", "Record"],
      ]}
    />
  );
}
