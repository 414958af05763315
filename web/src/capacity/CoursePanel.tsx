import Box from "@mui/material/Box";
import Typography from "@mui/material/Typography";
import { LineChart } from "@mui/x-charts/LineChart";
import { ChartsReferenceLine } from "@mui/x-charts/ChartsReferenceLine";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef } from "react";
import { Link } from "react-router";
import { Levels } from "./Levels";
import { CARD, CardHead } from "../parts/CardHead";
import { countOf } from "../parts/format";
import { ProblemAlert } from "../parts/ProblemAlert";
import { useUnit } from "../parts/unit";
import { type Note, Notes } from "./Notes";
import { type Course, courseQuery, notesQuery, type Row } from "./queries";
import { runwayText } from "./runways";

const TIB = 2 ** 40;

/** What a chart draws of a day: bytes in TiB, null where there is none. */
interface Point {
  at: Date;
  used: number | null;
  likely: number | null;
  low: number | null;
  width: number | null;
}

export function pointsOf(course: Course): Point[] {
  const past = course.past.map((day) => ({
    at: new Date(day.day),
    used: day.used_bytes / TIB,
    likely: null,
    low: null,
    width: null,
  }));
  const future = course.future.map((day) => ({
    at: new Date(day.day),
    used: null,
    likely: day.likely_bytes / TIB,
    low: Math.max(0, day.low_bytes) / TIB,
    width: (day.high_bytes - Math.max(0, day.low_bytes)) / TIB,
  }));
  return [...past, ...future];
}

/**
 * How the use of a row went and goes on, against its ceiling, and how far that is to be trusted; `alone` on the page of
 * the row itself, which is neither gone to from there nor brought into view.
 */
export function CoursePanel({ row, alone = false }: { row: Row; alone?: boolean }) {
  const { data: course, error } = useQuery(courseQuery(row.kind, row.id));
  // A label has no key that lasts, so nothing is noted of it.
  const noted = row.kind !== "label";
  const { data: notes = [] } = useQuery({ ...notesQuery(row.kind, row.id), enabled: noted });
  const shown = useRef<HTMLElement>(null);
  // Its row may be far above: what was asked for has to be seen.
  useEffect(() => {
    if (!alone) shown.current?.scrollIntoView({ block: "nearest" });
  }, [row.id, course, alone]);
  const { size } = useUnit();
  return (
    <Box ref={shown} component="section" aria-label={`Course of ${row.name}`} sx={{ ...CARD, mt: 1.5 }}>
      <CardHead title={`${row.name}, day by day`}>
        <span style={{ color: "var(--mute)", fontSize: 12 }}>
          {row.told ? `${runwayText(row)}, 80 % sure; told from ${row.rests_on}` : runwayText(row)}
        </span>
        {row.kind === "pool" && !alone && (
          <Link to={`/capacity/pool/${String(row.id)}`} style={{ marginLeft: "auto" }}>
            All of {row.name}
          </Link>
        )}
      </CardHead>
      <ProblemAlert error={error} />
      <Box sx={{ p: "8px 12px" }}>
        <Facts row={row} />
        {(row.kind === "datastore" || row.kind === "pool") && <Levels kind={row.kind} id={row.id} />}
        {course && course.past.length > 1 && <Chart course={course} row={row} notes={notes} />}
        {course && course.past.length <= 1 && (
          <Typography color="textSecondary">
            Its days are counted from now on; there is nothing to draw yet.
          </Typography>
        )}
        {noted && <Notes kind={row.kind} id={row.id} notes={notes} />}
        {row.steps.map((step) => (
          <Typography key={step.day} color="textSecondary" sx={{ fontSize: 12 }}>
            {step.day}: {size(Math.abs(step.size_bytes))} {step.size_bytes > 0 ? "came in" : "went"} at once;
            not counted as growth.
          </Typography>
        ))}
      </Box>
    </Box>
  );
}

/** The ledger in figures, to the layer. */
function Facts({ row }: { row: Row }) {
  const { size } = useUnit();
  const facts: [string, string][] = [
    ["capacity", size(row.capacity_bytes)],
    ...row.layers.map((each): [string, string] => [each.layer, size(each.size_bytes)]),
    ["grows a day", row.growth_bytes === null ? "not known" : size(row.growth_bytes)],
    [
      "right in its own past",
      row.tried ? `${String(row.right)} of ${countOf(row.tried, "forecast")}` : "not tried",
    ],
  ];
  if (row.difference_bytes !== 0) facts.push(["does not add up by", size(Math.abs(row.difference_bytes))]);
  return (
    <Box component="dl" sx={{ display: "flex", gap: "4px 22px", flexWrap: "wrap", m: 0 }}>
      {facts.map(([what, value]) => (
        <div key={what}>
          <dt style={{ color: "var(--mute)", fontSize: 12 }}>{what}</dt>
          <dd className="mono" style={{ margin: 0 }}>
            {value}
          </dd>
        </div>
      ))}
    </Box>
  );
}

function Chart({ course, row, notes }: { course: Course; row: Row; notes: readonly Note[] }) {
  const points = pointsOf(course);
  const ceiling = (row.ceiling * row.capacity_bytes) / TIB;
  return (
    <LineChart
      height={230}
      hideLegend
      skipAnimation
      dataset={points.map((point) => ({ ...point }))}
      xAxis={[{ dataKey: "at", scaleType: "time" }]}
      yAxis={[{ label: "TiB", width: 52, min: 0, max: Math.max(ceiling * 1.1, row.capacity_bytes / TIB) }]}
      series={[
        { dataKey: "used", label: "used", color: "var(--tide)", showMark: false, curve: "linear" },
        { dataKey: "likely", label: "likely", color: "var(--mute)", showMark: false, curve: "linear" },
        {
          dataKey: "low",
          label: "at least",
          color: "transparent",
          showMark: false,
          stack: "sure",
          area: true,
        },
        {
          dataKey: "width",
          label: "80 % sure",
          color: "var(--heat1)",
          showMark: false,
          stack: "sure",
          area: true,
        },
      ]}
      margin={{ top: 12, right: 16, bottom: 4, left: 4 }}
    >
      <ChartsReferenceLine y={ceiling} label="ceiling" lineStyle={{ stroke: "var(--ink)" }} />
      {notes.map((note, place) => (
        <ChartsReferenceLine
          key={note.id}
          x={new Date(note.day)}
          label={String(place + 1)}
          labelAlign="start"
          lineStyle={{ stroke: "var(--mute)", strokeDasharray: "3 3" }}
        />
      ))}
    </LineChart>
  );
}
