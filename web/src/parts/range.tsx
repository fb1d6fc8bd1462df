/** A range on a line, and a value beside it: where it lies can be read without colour. */
export function Range(props: { low: number; high: number; value: number; label: string }) {
  const { low, high, value } = props;
  const all = [low, high, value];
  const least = Math.min(...all);
  const room = Math.max(...all) - least || 1;
  const at = (v: number) => 8 + (84 * (v - least)) / room;
  const outside = value < low || value > high;
  return (
    <svg viewBox="0 0 100 14" className="h-4 w-full min-w-24" role="img" aria-label={props.label}>
      <line x1="2" x2="98" y1="7" y2="7" className="stroke-line" strokeWidth="1" />
      <line x1={at(low)} x2={at(high)} y1="7" y2="7" className="stroke-gilt" strokeWidth="4" />
      {outside ? (
        <path
          d={`M ${at(value)} 2 l 5 5 l -5 5 l -5 -5 z`}
          className="fill-leaf stroke-stop"
          strokeWidth="1.6"
        />
      ) : (
        <circle cx={at(value)} cy="7" r="3.4" className="fill-ink" />
      )}
    </svg>
  );
}
