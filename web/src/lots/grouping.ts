import type { Schemas } from "../api/problem";

type Step = Schemas["StepAnswer"];

/** Neighbouring steps that do the same on different devices, shown as one row of a draft. */
export interface StepGroup {
  first: Step;
  steps: Step[];
}

/** Groups of two and more; copies stay single, as each has its own reason. */
export function groupSteps(steps: readonly Step[]): StepGroup[] {
  const groups: StepGroup[] = [];
  for (const step of steps) {
    const last = groups.at(-1);
    const alike = last && last.first.kind === step.kind && onEach(last.first) === onEach(step);
    if (alike && step.kind !== "move_disk" && !last.steps.some((other) => other.device === step.device))
      last.steps.push(step);
    else groups.push({ first: step, steps: [step] });
  }
  return groups;
}

const onEach = (step: Step) => step.title.replace(step.device, "each host");

/** A group's title without the name of its one device: “Rescan each host, wait for the device”. */
export function groupTitle({ first, steps }: StepGroup): string {
  return steps.length === 1 ? first.title : onEach(first);
}

/** What the steps of a group say beside their titles: once where they say the same, else each once. */
export function groupDetail({ steps }: StepGroup): string {
  return [...new Set(steps.map((step) => step.detail))].join("; ");
}
