import { render, screen, within } from "@testing-library/react";
import { expect, it } from "vitest";
import { ZoneChanges } from "./ZoneChanges";

const members = [{ alias: "granite-bf2", wwpn: "50:24:b4:20:00:00:02:02" }];
const wish = { fabric: "fabric-2", zone: "gate-03-fc-b", new: false, host: "gate-03", port: "fc-b", members };

it("says which zone to extend by which port, and what for", () => {
  render(<ZoneChanges zones={[wish, { ...wish, host: "gate-05", zone: "gate-05-fc-b", new: true }]} />);
  const [, first, second] = within(screen.getByRole("table", { name: "Zones to ask for" })).getAllByRole(
    "row",
  );
  expect(first).toHaveTextContent("fabric-2gate-03-fc-b (is there)extendgranite-bf250:24:b4:20:00:00:02:02");
  expect(first).toHaveTextContent("gate-03 gets its paths over fc-b");
  expect(second).toHaveTextContent("gate-05-fc-b (to be made)");
});

it("is not there where no zone is missing", () => {
  const { container } = render(<ZoneChanges zones={[]} />);
  expect(container).toBeEmptyDOMElement();
});
