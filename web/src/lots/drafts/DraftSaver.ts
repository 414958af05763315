import { ProblemError, type Schemas } from "../../api/problem";

export interface DraftAnswer<Form> {
  lot: Schemas["LotDetail"];
  form: Form;
}
/** The version of the draft that was typed on, as the header that names it. */
export interface Seen {
  headers: { "If-Match": string };
}
export type Edit<Form> = (form: Form) => Form;
export type SavingState = "saved" | "unsaved" | "saving" | "failed";

export interface Saving<Form> {
  form: Form;
  state: SavingState;
  /** Why the last form was not stored. */
  error: unknown;
}

interface Calls<Form, Answer> {
  store: (form: Form, seen: Seen) => Promise<Answer>;
  load: () => Promise<Answer>;
  /** Told of every answer, so that it is shown. */
  answered: (answer: Answer) => void | Promise<void>;
}

export const TYPING_MS = 250;

const isOutdated = (error: unknown) => error instanceof ProblemError && error.problem.status === 412;

/**
 * Keeps one draft's form on the server while it is typed. Edits apply to the latest form, whatever is on its way; a
 * moment after the last one the form is sent, one request at a time, naming the version it was typed on.
 *
 * What could not be stored stays typed and is sent with the next edit, or when asked for. Where somebody else was faster
 * (412), their form is loaded, and the error says what they changed.
 */
export class DraftSaver<Form, Answer extends DraftAnswer<Form>> {
  private now: Saving<Form>;
  private timer: number | undefined;
  private sending: Promise<void> | null = null;
  private readonly watchers = new Set<() => void>();

  constructor(
    private stored: Answer,
    private readonly calls: Calls<Form, Answer>,
  ) {
    this.now = { form: stored.form, state: "saved", error: null };
  }

  /** For useSyncExternalStore. */
  readonly subscribe = (watcher: () => void) => {
    this.watchers.add(watcher);
    return () => this.watchers.delete(watcher);
  };

  readonly current = (): Saving<Form> => this.now;

  /** Change the latest form. */
  edit(edit: Edit<Form>): void {
    this.set({ form: edit(this.now.form), state: "unsaved", error: null });
    window.clearTimeout(this.timer);
    this.timer = window.setTimeout(() => void this.settle().catch(() => undefined), TYPING_MS);
  }

  /** An answer that came another way, as from a poll: taken over where nothing is typed on it. */
  refreshed(answer: Answer): void {
    if (this.now.state !== "saved" || this.sending) return;
    // A version is of the steps: a form may be another one and come to the same.
    const same = JSON.stringify(answer.form) === JSON.stringify(this.stored.form);
    this.stored = answer;
    if (!same) this.set({ ...this.now, form: answer.form });
  }

  /** Store what is typed now, without waiting for the next key. Returns the version stored; throws why it is not. */
  async settle(): Promise<string> {
    window.clearTimeout(this.timer);
    while (this.sending ?? this.now.state !== "saved") {
      this.sending ??= this.send().finally(() => {
        this.sending = null;
      });
      await this.sending;
    }
    return this.stored.lot.version;
  }

  private async send(): Promise<void> {
    const { form } = this.now;
    this.set({ ...this.now, state: "saving", error: null });
    try {
      this.stored = await this.calls.store(form, {
        headers: { "If-Match": `"${this.stored.lot.version}"` },
      });
    } catch (error) {
      if (isOutdated(error)) await this.overtaken(error);
      else this.set({ ...this.now, state: "failed", error });
      throw error;
    }
    await this.calls.answered(this.stored);
    // What was typed meanwhile is not stored yet.
    if (this.now.form === form) this.set({ form: this.stored.form, state: "saved", error: null });
  }

  /** Somebody else was faster: what is stored now is shown, beside who changed what. */
  private async overtaken(error: unknown): Promise<void> {
    window.clearTimeout(this.timer);
    this.stored = await this.calls.load();
    await this.calls.answered(this.stored);
    this.set({ form: this.stored.form, state: "saved", error });
  }

  private set(now: Saving<Form>): void {
    this.now = now;
    for (const watcher of this.watchers) watcher();
  }
}
