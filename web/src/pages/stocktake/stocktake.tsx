import { t } from "@lingui/core/macro";
import { TabbedRoom } from "../../parts/tabs";

/** What a curator does week by week. */
export function Stocktake() {
  return (
    <TabbedRoom
      name={t`Stocktake`}
      pages={[
        ["/stocktake/figures", t`Figures`],
        ["/stocktake/use", t`Use`],
        ["/stocktake/freshness", t`Freshness`],
        ["/stocktake/contributors", t`Contributors`],
        ["/stocktake/quality", t`Quality`],
        ["/stocktake/costs", t`Costs`],
        ["/stocktake/report", t`Report`],
        ["/stocktake/departments", t`Departments`],
        ["/stocktake/similar", t`Similar entries`],
        ["/stocktake/trials", t`Trials`],
        ["/stocktake/import", t`Import and export`],
        ["/stocktake/record", t`Record`],
      ]}
    />
  );
}
