import Box from "@mui/material/Box";
import Button from "@mui/material/Button";
import Typography from "@mui/material/Typography";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { countOf, formatShare, formatSize } from "../parts/format";
import type { Column } from "../parts/table/columns";
import { DataTable } from "../parts/table/DataTable";
import { useUnit } from "../parts/unit";
import { Page } from "../shell/Page";
import { useSession } from "../shell/useSession";
import { BringIn } from "./BringIn";
import { Depots } from "./Depots";
import { ImageActs } from "./ImageActs";
import { type Image, imagesQuery } from "./queries";

const keyOf = (image: Image) => String(image.id);
const sum = (image: Image, key: "size_bytes" | "data_bytes") =>
  image.disks.reduce((total, disk) => total + disk[key], 0);
const keptOn = (image: Image) =>
  [...new Set(image.disks.map((disk) => disk.datastore))].filter((name) => name).join(", ");

/** What a package says of its machine. */
const packaged = (image: Image, size: (bytes: number) => string) =>
  [
    image.os,
    image.processors ? countOf(image.processors, "processor") : "",
    image.memory_bytes ? size(image.memory_bytes) : "",
  ]
    .filter((part) => part)
    .join(", ");

const MARKS: Partial<Record<string, string>> = { failed: "▲ ", ready: "■ ", gone: "◇ " };

/** Images: brought in, checked, kept on a datastore; new machines' disks are made from them. */
export function ImagesPage() {
  const { data: session } = useSession();
  const { data: images, error } = useQuery(imagesQuery());
  const [bringing, setBringing] = useState(false);
  const mayChange = session?.may_change ?? false;
  const ready = images?.images.filter(({ state }) => state === "ready").length ?? 0;
  return (
    <Page
      title="Images"
      stage="machines"
      error={error}
      loading={!images}
      note={
        images && (
          <Typography color="textSecondary">
            {countOf(images.images.length, "image")} · {ready} ready for new machines
          </Typography>
        )
      }
      actions={
        mayChange && (
          <Button
            variant="outlined"
            onClick={() => {
              setBringing(true);
            }}
          >
            Bring in
          </Button>
        )
      }
    >
      {images && (
        <Box sx={{ minWidth: 0 }}>
          {bringing && (
            <BringIn
              images={images}
              done={() => {
                setBringing(false);
              }}
            />
          )}
          <ImageTable images={images.images} mayChange={mayChange} />
          <Depots depots={images.depots} fixed={!(session?.administers ?? false)} />
        </Box>
      )}
    </Page>
  );
}

function ImageTable({ images, mayChange }: { images: readonly Image[]; mayChange: boolean }) {
  const { size, unit } = useUnit();
  const other = (bytes: number) => formatSize(bytes, unit === "TiB" ? "TB" : "TiB");
  const columns: Column<Image>[] = [
    { key: "name", head: "Image", value: (row) => row.name, width: 150, sticky: true },
    {
      key: "state",
      head: "State",
      value: (row) => row.state,
      cell: (row) => <State image={row} />,
      width: 260,
    },
    {
      key: "format",
      head: "Format",
      value: (row) => row.format || "–",
      cell: (row) => (
        <>
          {row.format || "–"}
          <div style={{ color: "var(--mute)", fontSize: 12 }}>{packaged(row, size)}</div>
        </>
      ),
      width: 120,
    },
    {
      key: "size_bytes",
      head: "Disks",
      value: (row) => sum(row, "size_bytes"),
      cell: (row) =>
        row.disks.length ? (
          <>
            {row.disks.length > 1 && `${String(row.disks.length)}: `}
            {size(sum(row, "size_bytes"))}
            <div style={{ color: "var(--mute)" }}>{other(sum(row, "size_bytes"))}</div>
          </>
        ) : (
          "–"
        ),
      figures: true,
      width: 100,
    },
    {
      key: "data_bytes",
      head: "Data",
      value: (row) => sum(row, "data_bytes"),
      cell: (row) => (row.disks.length ? size(sum(row, "data_bytes")) : "–"),
      figures: true,
      width: 90,
    },
    { key: "datastore", head: "Kept on", value: (row) => keptOn(row) || "–", width: 90 },
    { key: "used_by", head: "Disks made", value: (row) => row.used_by, figures: true, width: 80 },
    { key: "source", head: "From", value: (row) => row.source },
  ];
  if (mayChange) {
    columns.push({
      key: "acts",
      head: "",
      value: () => "",
      cell: (row) => <ImageActs image={row} />,
      screenOnly: true,
      width: 220,
    });
  }
  return (
    <DataTable
      name="Images"
      columns={columns}
      rows={images}
      rowKey={keyOf}
      tall
      csv
      title="Images"
      empty="No image yet. Bring one in from a depot or a file; new machines' disks can be made from it."
    />
  );
}

/** The state with what there is to know of it. */
function State({ image }: { image: Image }) {
  const share = image.file_bytes ? ` ${formatShare(image.received_bytes / image.file_bytes)}` : "";
  const said = image.state === "receiving" ? `receiving${share}` : image.state;
  const color = image.state === "failed" ? "var(--buoyText)" : undefined;
  const note = image.state === "gone" ? "neither a datastore nor Move Lot has it any more" : image.note;
  return (
    <Box sx={{ whiteSpace: "normal" }}>
      <strong style={{ color }}>
        {MARKS[image.state]}
        {said}
      </strong>
      <div style={{ color: "var(--mute)", fontSize: 12 }}>{image.reason || note}</div>
    </Box>
  );
}
