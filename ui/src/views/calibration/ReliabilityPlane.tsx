import { useId, useMemo, useState } from "react";
import { Band } from "../../charts/Band";
import { Bars } from "../../charts/Bars";
import { Line } from "../../charts/Line";
import { Plot } from "../../charts/Plot";
import { Points } from "../../charts/Points";
import type { Scale } from "../../charts/scales";
import { count, shown } from "../../parts/number";
import { type Bin, band, binsOf, fitted, proven, type Told, type Which } from "./read";

type Props = {
  told: Told;
  color: string;
  dash: string;
  happened: string;
  bins: "equal_mass" | "equal_width";
  which: Which;
};

const UNIT: [number, number] = [0, 1];
const [PAD, DEEP] = [4, 26]; // above the histogram, and of each of its sides

/** Of the rows given a probability, how many were so: the fit with a band, bins with intervals, and the scores beneath. */
export function ReliabilityPlane({ told: { c, found }, color, dash, happened, bins, which }: Props) {
  const [at, setAt] = useState<Bin | null>(null);
  const hatch = useId();
  const each = useMemo(() => binsOf(found[bins]), [found, bins]);
  const line = useMemo(() => fitted(found), [found]);
  const around = useMemo(() => band(found, which), [found, which]);
  const off = useMemo(() => proven(found), [found]);
  const say = (b: Bin) =>
    `${count(b.rows)} rows given ${shown(b.mean)} on average: ${shown(b.seen)} were “${happened}”, ${shown(b.low)} to ${shown(b.high)}`;
  return (
    <div>
      <Plot
        title="Promised and happened"
        label={`Observed share of “${happened}” against the probability given by ${c.name}`}
        x={{ name: "probability given", domain: UNIT }}
        y={{ name: `share “${happened}”`, domain: UNIT }}
        room={16}
        under={2 * DEEP + PAD}
        below={(plane) => <Scores told={{ c, found }} color={color} x={plane.x} top={plane.under} />}
      >
        {({ x, y }) => (
          <>
            <pattern id={hatch} width={5} height={5} patternUnits="userSpaceOnUse" patternTransform="rotate(-35)">
              <line x1={0} x2={5} y1={0} y2={0} stroke="var(--color-soft)" strokeWidth={0.8} />
            </pattern>
            {off.map((stretch) => (
              <g key={stretch[0]?.x} data-off="">
                <Band points={stretch} x={x} y={y} fill={`url(#${hatch})`} />
              </g>
            ))}
            {around && (
              <Band
                points={around}
                x={x}
                y={y}
                fill={which === "chance" ? "var(--color-faint)" : color}
                opacity={which === "chance" ? 0.28 : 0.16}
              />
            )}
            <line x1={x(0)} y1={y(0)} x2={x(1)} y2={y(1)} stroke="var(--color-ink)" strokeWidth={1} />
            <Line points={line} x={x} y={y} color={color} dash={dash} />
            <Points
              marks={each.map((b) => ({ key: b.key, x: b.mean, y: b.seen, low: b.low, high: b.high }))}
              x={x}
              y={y}
              color={color}
              onMark={(key) => setAt(each.find((b) => b.key === key) ?? null)}
              label={({ key }) => {
                const b = each.find((one) => one.key === key);
                return b ? say(b) : "";
              }}
            />
          </>
        )}
      </Plot>
      <p className="text-sm h-5 truncate" data-part="under-pointer">
        {at ? (
          <b className="font-semibold">{say(at)}</b>
        ) : (
          <span className="text-soft">Point at a ring, or tab to it, for its rows.</span>
        )}
      </p>
    </div>
  );
}

/** The rows of each tenth of the scale by what they were, up and down: the square root of the share of their class. */
function Scores({ told: { found }, color, x, top }: { told: Told; color: string; x: Scale; top: number }) {
  const even = binsOf(found.equal_width);
  const were = even.map((b) => b.seen * b.rows);
  const sides = [
    { key: "were", rows: were, fill: color, down: false },
    { key: "were-not", rows: even.map((b, i) => b.rows - (were[i] ?? 0)), fill: "var(--color-passed)", down: true },
  ];
  const axis = top + PAD + DEEP;
  return (
    <g>
      {sides.map(({ key, rows, fill, down }) => {
        const most = Math.max(1, ...rows);
        const size = (i: number) => Math.sqrt(Math.max(0, rows[i] ?? 0) / most);
        const bars = even.map((b, i) => ({ from: b.from, to: b.to, parts: [{ key, size: size(i), fill }] }));
        return <Bars key={key} bars={bars} x={x} axis={axis} unit={DEEP} down={down} />;
      })}
      <line x1={x(0)} x2={x(1)} y1={axis} y2={axis} stroke="var(--color-soft)" />
    </g>
  );
}
