import Dialog from "@mui/material/Dialog";
import { useQuery } from "@tanstack/react-query";
import { Command } from "cmdk";
import { useDeferredValue, useState } from "react";
import { useNavigate } from "react-router";
import { api, unwrap } from "../api/client";
import { useUnit } from "../parts/unit";
import { useStatus } from "./useStatus";
import "./find.css";

/** Find: any thing by name or serial, and the pages. */
export function Find({ onClose }: { onClose: () => void }) {
  const [text, setText] = useState("");
  const wanted = useDeferredValue(text.trim());
  const navigate = useNavigate();
  const { size } = useUnit();
  const { data: status } = useStatus();
  const found = useQuery({
    queryKey: ["find", wanted],
    queryFn: () => unwrap(api.GET("/api/find/", { params: { query: { q: wanted } } })),
    enabled: wanted.length > 0,
    placeholderData: (before) => before,
  });
  const go = (to: string) => {
    onClose();
    void navigate(to);
  };
  const pages = [...(status?.tabs ?? []), ...(status?.pages ?? [])].filter((page) =>
    page.name.toLowerCase().includes(wanted.toLowerCase()),
  );
  const hits = wanted ? (found.data?.hits ?? []) : [];
  return (
    <Dialog
      open
      onClose={onClose}
      aria-label="Find"
      slotProps={{ paper: { sx: { width: 560, position: "absolute", top: 60 } } }}
    >
      <Command label="Find" shouldFilter={false}>
        <Command.Input
          autoFocus
          value={text}
          onValueChange={setText}
          placeholder="Name, serial, initiator or key=value of a label"
        />
        <Command.List aria-label="Found">
          {wanted && found.isFetched && hits.length + pages.length === 0 && (
            <Command.Empty>
              Nothing is called “{wanted}”. Names, serials, initiators and labels are searched.
            </Command.Empty>
          )}
          {hits.map((hit) => (
            <Command.Item
              key={`${hit.kind} ${String(hit.id)}`}
              value={`${hit.kind} ${String(hit.id)}`}
              onSelect={() => {
                go(`/trace/${hit.kind}/${String(hit.id)}`);
              }}
            >
              <span className="find-kind">{hit.kind.replace("_", " ")}</span>
              <strong>{hit.name}</strong>
              <span className="find-note">
                {[hit.size_bytes === null ? "" : size(hit.size_bytes), hit.note].filter(Boolean).join(" · ")}
              </span>
            </Command.Item>
          ))}
          {pages.map((page) => (
            <Command.Item
              key={page.path}
              value={`page ${page.name}`}
              onSelect={() => {
                go(page.path);
              }}
            >
              <span className="find-kind">page</span>
              <strong>{page.name}</strong>
            </Command.Item>
          ))}
        </Command.List>
      </Command>
    </Dialog>
  );
}
