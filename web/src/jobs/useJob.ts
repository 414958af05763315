import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import { CancelledError, followed, type Job, progressOf } from "./followed";

interface Options<T, I> {
  /** Asks the server for the job, on what it was started with. */
  ask: (input: I) => Promise<Job>;
  /** What is looked at once it is done. */
  look: (job: Job) => Promise<T>;
  onSuccess?: (found: T) => void | Promise<void>;
  onError?: () => void;
}

/** A job from its button to its end: started, followed with progress, ended early, and what came of it. */
export function useJob<T, I = void>({ ask, look, onSuccess, onError }: Options<T, I>) {
  const [job, setJob] = useState<Job | null>(null);
  const [now, setNow] = useState(0);
  const mutation = useMutation({
    mutationFn: async (input: I) =>
      look(
        await followed(ask(input), (told) => {
          setJob(told);
          setNow(Date.now());
        }),
      ),
    onSuccess: (found) => {
      void onSuccess?.(found);
    },
    onError: () => {
      onError?.();
    },
    onSettled: () => {
      setJob(null);
    },
  });
  const { error } = mutation;
  return {
    start: mutation.mutate,
    cancel: () => {
      if (job) void unwrap(api.DELETE("/api/jobs/{id}/", { params: { path: { id: job.id } } }));
    },
    isPending: mutation.isPending,
    /** What was looked at once it was done. */
    found: mutation.data,
    /** Forgets what came of it. */
    reset: mutation.reset,
    /** Ending it early is no error. */
    error: error instanceof CancelledError ? null : error,
    progress: progressOf(job, now),
  };
}
