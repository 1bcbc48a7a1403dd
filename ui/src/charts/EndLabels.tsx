import { apart } from "./labels";

export type Ending = { key: number; letter: string; name: string; text: string; color: string; at: number };
type Props = {
  title: string;
  endings: Ending[];
  x: number;
  top: number;
  bottom: number;
  /** Which one is spoken of. */
  front: number | null;
  onFront: (key: number | null) => void;
  /** Which one is chosen for good, and how to choose. */
  chosen?: number | null;
  onChoose?: (key: number) => void;
};

const GAP = 19;
const HEAD = 24;

/** How many labels find room; where there are more, one line says how many are left. */
export const room = (top: number, bottom: number) => Math.floor((bottom - top - HEAD) / GAP) + 1;

/** Lines named beside the plot, in the order of their values and as near to where they end as there is room. */
export function EndLabels({ title, endings, x, top, bottom, front, onFront, chosen, onChoose }: Props) {
  const most = room(top, bottom);
  const shown = endings.length <= most ? endings : endings.slice(0, most - 1);
  const places = apart(
    shown.map((e) => e.at),
    GAP,
    [top + HEAD, bottom - (shown.length < endings.length ? GAP : 0)],
  );
  return (
    <g>
      <text x={x} y={top + 8}>
        {title}
      </text>
      {shown.map((e, i) => (
        <g
          key={e.key}
          data-end={e.letter}
          transform={`translate(${x} ${(places[i] ?? 0) - 8})`}
          opacity={front === null || front === e.key ? 1 : 0.35}
          onPointerEnter={() => onFront(e.key)}
          onPointerLeave={() => onFront(null)}
          onPointerDown={(event) => {
            if (!onChoose) return;
            event.stopPropagation();
            onChoose(e.key);
          }}
          style={{ cursor: onChoose ? "pointer" : undefined }}
        >
          {chosen === e.key && <rect x={-4} width={1.8} height={16} fill="var(--color-ink)" />}
          <title>{e.name}</title>
          <rect width={17} height={16} rx={3} fill={e.color} />
          <text
            x={8.5}
            y={12}
            textAnchor="middle"
            style={{ fill: "var(--color-on-accent)", fontWeight: 700, fontSize: e.letter.length > 1 ? 9.5 : 11 }}
          >
            {e.letter}
          </text>
          <text x={23} y={13} style={{ fill: "var(--color-ink)", fontSize: 13 }}>
            {e.text}
          </text>
        </g>
      ))}
      {shown.length < endings.length && (
        <text x={x} y={bottom}>
          and {endings.length - shown.length} more
        </text>
      )}
    </g>
  );
}
