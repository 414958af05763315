import Box from "@mui/material/Box";
import Table from "@mui/material/Table";
import TableBody from "@mui/material/TableBody";
import TableCell from "@mui/material/TableCell";
import TableHead from "@mui/material/TableHead";
import TableRow from "@mui/material/TableRow";
import Typography from "@mui/material/Typography";
import type { Schemas } from "../api/problem";
import { CsvButton } from "../parts/CsvButton";

type ZoneChange = Schemas["ZoneChangeRow"];

/** The zones that paths are missing for: what to ask of those who look after the switches. */
export function ZoneChanges({ zones }: { zones: readonly ZoneChange[] }) {
  if (zones.length === 0) return null;
  return (
    <Box sx={{ mt: 2 }}>
      <Box sx={{ display: "flex", alignItems: "center", mb: 0.5 }}>
        <Typography variant="h2" component="h2" sx={{ flex: 1 }}>
          Zones to ask for
        </Typography>
        <CsvButton
          name="zones to ask for"
          heads={["fabric", "zone", "make or extend", "alias", "WWPN", "for"]}
          rows={() =>
            zones.flatMap((zone) =>
              zone.members.map((member) => [
                zone.fabric,
                zone.zone,
                zone.new ? "make" : "extend",
                member.alias,
                member.wwpn,
                `${zone.host} ${zone.port}`,
              ]),
            )
          }
        />
      </Box>
      <Typography color="textSecondary" sx={{ mb: 1 }}>
        Move Lot is not linked to the switches. Once a zone is changed there, reread the array, then rescan
        the host.
      </Typography>
      <Table
        size="small"
        aria-label="Zones to ask for"
        sx={{ background: "var(--card)", border: "1px solid var(--line)" }}
      >
        <TableHead>
          <TableRow>
            {["Fabric", "Zone", "Add these members", "So that"].map((head) => (
              <TableCell key={head}>{head}</TableCell>
            ))}
          </TableRow>
        </TableHead>
        <TableBody>
          {zones.map((zone) => (
            <TableRow key={`${zone.fabric} ${zone.host} ${zone.port}`}>
              <TableCell className="mono">{zone.fabric}</TableCell>
              <TableCell>
                <span className="mono">{zone.zone}</span> {zone.new ? "(to be made)" : "(is there)"}
              </TableCell>
              <TableCell>
                {zone.members.map((member) => (
                  <div key={member.wwpn}>
                    {member.alias}{" "}
                    <span className="mono" style={{ color: "var(--mute)" }}>
                      {member.wwpn}
                    </span>
                  </div>
                ))}
              </TableCell>
              <TableCell>
                {zone.host} gets its paths over {zone.port}
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}
