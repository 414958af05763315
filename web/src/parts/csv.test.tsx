import { render, screen } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { toCsv } from "./csv";
import { CsvButton } from "./CsvButton";

describe("figures as CSV", () => {
  it("quotes what needs quoting and nothing else", () => {
    const text = toCsv(
      ["name", "bytes"],
      [
        ["berth-a, full", 5],
        ['a "b"', null],
      ],
    );
    expect(text).toBe('name,bytes\r\n"berth-a, full",5\r\n"a ""b""",\r\n');
  });

  it("never hands a spreadsheet a formula", () => {
    expect(toCsv(["name"], [["=1+1"], ["-x"]])).toBe("name\r\n'=1+1\r\n'-x\r\n");
    expect(toCsv(["gain"], [[-4.5]])).toBe("gain\r\n-4.5\r\n");
  });

  it("saves the rows of the moment of the press", async () => {
    let saved: Blob | null = null;
    vi.stubGlobal(
      "URL",
      Object.assign(URL, {
        createObjectURL: (blob: Blob) => ((saved = blob), "blob:x"),
        revokeObjectURL: vi.fn(),
      }),
    );
    const click = vi.spyOn(HTMLAnchorElement.prototype, "click").mockImplementation(() => undefined);
    render(<CsvButton name="moves" heads={["disk"]} rows={() => [["cctv-01 disk 1"]]} />);
    screen.getByRole("button", { name: "Save moves as CSV" }).click();
    expect(click).toHaveBeenCalledOnce();
    const text = await new Promise((resolve) => {
      const reader = new FileReader();
      reader.onload = () => {
        resolve(reader.result);
      };
      if (saved) reader.readAsText(saved);
    });
    expect(text).toBe("disk\r\ncctv-01 disk 1\r\n");
  });
});
