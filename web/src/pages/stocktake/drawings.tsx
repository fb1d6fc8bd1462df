import { t } from "@lingui/core/macro";
import {
  Bar,
  BarChart,
  CartesianGrid,
  LabelList,
  Line,
  LineChart,
  ResponsiveContainer,
  Tooltip,
  XAxis,
  YAxis,
} from "recharts";
import { dateWords } from "../../data/times";

const tick = { fill: "var(--faded)", fontSize: 12 };
const tip = {
  contentStyle: { background: "var(--leaf)", border: "1px solid var(--line)", borderRadius: 8 },
  labelStyle: { color: "var(--faded)" },
  itemStyle: { color: "var(--ink)" },
};

/** Numbers week by week. */
export function Weekly({ weeks, uses, says }: { weeks: string[]; uses: number[]; says: string }) {
  const data = weeks.map((week, i) => ({ week, uses: uses[i] ?? 0 }));
  return (
    <div data-drawing role="img" aria-label={says} className="h-56 px-2 py-3">
      <ResponsiveContainer width="100%" height="100%">
        <LineChart data={data} accessibilityLayer={false} margin={{ top: 8, right: 20, bottom: 0, left: 0 }}>
          <CartesianGrid stroke="var(--line)" vertical={false} />
          <XAxis dataKey="week" tick={tick} stroke="var(--line)" tickFormatter={dateWords} minTickGap={40} />
          <YAxis tick={tick} stroke="var(--line)" width={44} allowDecimals={false} />
          <Tooltip {...tip} labelFormatter={(w) => t`Week of ${dateWords(String(w))}`} />
          <Line
            dataKey="uses"
            name={t`Uses`}
            stroke="var(--gold)"
            strokeWidth={2}
            dot={{ r: 2.5, fill: "var(--gold)" }}
            isAnimationActive={false}
          />
        </LineChart>
      </ResponsiveContainer>
    </div>
  );
}

/** Numbers side by side, each with its name and its number in words. */
export function Bars({
  rows,
  says,
  second,
}: {
  rows: { name: string; value: number; before?: number }[];
  says: string;
  /** What the thinner bars are, where there are any. */
  second?: string;
}) {
  return (
    <div
      data-drawing
      role="img"
      aria-label={says}
      className="px-2 py-3"
      style={{ height: 40 + rows.length * (second ? 40 : 30) }}
    >
      <ResponsiveContainer width="100%" height="100%">
        <BarChart
          data={rows}
          layout="vertical"
          accessibilityLayer={false}
          margin={{ top: 0, right: 48, bottom: 0, left: 0 }}
        >
          <XAxis type="number" hide />
          <YAxis type="category" dataKey="name" tick={tick} stroke="var(--line)" width={150} interval={0} />
          <Tooltip {...tip} cursor={{ fill: "var(--wash)" }} />
          <Bar dataKey="value" name={t`Now`} fill="var(--gold)" isAnimationActive={false} maxBarSize={18}>
            <LabelList dataKey="value" position="right" fill="var(--ink)" fontSize={12} />
          </Bar>
          {second && (
            <Bar
              dataKey="before"
              name={second}
              fill="var(--leaf)"
              stroke="var(--gold)"
              strokeDasharray="3 2"
              isAnimationActive={false}
              maxBarSize={10}
            >
              <LabelList dataKey="before" position="right" fill="var(--faded)" fontSize={11} />
            </Bar>
          )}
        </BarChart>
      </ResponsiveContainer>
    </div>
  );
}
