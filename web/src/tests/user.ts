import userEvent from "@testing-library/user-event";

/** A person at the page: presses keys and buttons as they do. */
export const user = userEvent.setup();

/** Replaces what a field holds, as by pasting. */
export async function type(field: HTMLElement, text: string): Promise<void> {
  await user.clear(field);
  await user.click(field);
  if (text) await user.paste(text);
}
