import { fireEvent, render, screen, waitFor } from "@testing-library/react";
import { lazy } from "react";
import { expect, it } from "vitest";
import { later } from "../tests/server";
import { KeepKeys } from "./KeepKeys";

it("loses no key that is typed while what it is meant for is on its way", async () => {
  const script = later<{ default: typeof Field }>();
  const Soon = lazy(() => script.promise);
  render(<KeepKeys>{(text) => <Soon text={text} />}</KeepKeys>);
  const letters = "abcdefghijklmnopqrstuvwxyz";
  let typed = "";
  const typeNext = () => {
    const key = letters.charAt(typed.length % letters.length);
    fireEvent.keyDown(document.body, { key });
    typed += key;
  };
  typeNext();
  script.come({ default: Field });
  const field = await waitFor(
    () => {
      const found = screen.queryByRole("textbox");
      if (found) return found;
      typeNext();
      throw new Error("The field is not there yet.");
    },
    { interval: 5 },
  );
  expect(field).toHaveValue(typed);
});

function Field({ text }: { text: string }) {
  return <input aria-label="Text" value={text} readOnly />;
}
