import Autocomplete from "@mui/material/Autocomplete";
import TextField from "@mui/material/TextField";
import { keepPreviousData, useQuery } from "@tanstack/react-query";
import { useDeferredValue, useMemo, useState } from "react";
import { api, unwrap } from "../api/client";
import type { Schemas } from "../api/problem";

type Machine = Schemas["RawMachine"];

interface MachinesProps {
  /** The machines of the form, and those of them that the plan has named by now. */
  ids: number[];
  named: Machine[];
  fixed: boolean;
  choose: (machines: number[]) => void;
}

/** The machines that get a raw volume, found by name; one for its own, several to share it. */
export function Machines({ ids, named, fixed, choose }: MachinesProps) {
  const [text, setText] = useState("");
  // The plan comes a moment after a choice: what was just chosen has to stand beside it until then.
  const [picked, setPicked] = useState<Machine[]>([]);
  const chosen = useMemo(
    () => ids.flatMap((id) => [...named, ...picked].find((machine) => machine.id === id) ?? []),
    [ids, named, picked],
  );
  const wanted = useDeferredValue(text);
  const found = useQuery({
    queryKey: ["find", wanted],
    queryFn: () => unwrap(api.GET("/api/find/", { params: { query: { q: wanted } } })),
    enabled: wanted !== "",
    placeholderData: keepPreviousData,
  });
  const options = (found.data?.hits ?? [])
    .filter((hit) => hit.kind === "machine")
    .map((hit): Machine => ({ id: hit.id, name: hit.name, host: hit.note }));
  return (
    <Autocomplete
      multiple
      size="small"
      disabled={fixed}
      options={wanted ? options : []}
      value={chosen}
      noOptionsText={wanted ? "no machine has such a name" : "type a part of its name"}
      getOptionLabel={(machine) => machine.name}
      getOptionKey={(machine) => machine.id}
      isOptionEqualToValue={(a, b) => a.id === b.id}
      filterOptions={(all) => all}
      onChange={(_event, machines) => {
        setPicked(machines);
        choose(machines.map((machine) => machine.id));
      }}
      inputValue={text}
      onInputChange={(_event, value, reason) => {
        // A plan that comes in resets the field; what is being typed stays.
        if (reason !== "reset") setText(reason === "input" ? value : "");
      }}
      renderInput={(params) => (
        <TextField
          {...params}
          label="Machines that get it"
          helperText={
            chosen.length > 1
              ? "They share it, as the machines of a guest cluster do."
              : "One for a volume of its own, several to share it."
          }
        />
      )}
    />
  );
}
