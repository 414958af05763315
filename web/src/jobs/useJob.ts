import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { api, unwrap } from "../api/client";
import { CancelledError, followed, type Job, progressOf } from "./followed";

interface Options<T> {
  /** Asks the server for the job. */
  ask: () => Promise<Job>;
  /** What is looked at once it is done. */
  look: (job: Job) => Promise<T>;
  onSuccess?: (found: T) => void;
  onError?: () => void;
}

/** A job from its button to its end: started, followed with progress, ended early, and what came of it. */
export function useJob<T>({ ask, look, onSuccess, onError }: Options<T>) {
  const [job, setJob] = useState<Job | null>(null);
  const mutation = useMutation({
    mutationFn: async () => look(await followed(ask(), setJob)),
    onSuccess: (found) => {
      onSuccess?.(found);
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
    start: () => {
      mutation.mutate();
    },
    cancel: () => {
      if (job) void unwrap(api.DELETE("/api/jobs/{id}/", { params: { path: { id: job.id } } }));
    },
    isPending: mutation.isPending,
    /** Ending it early is no error. */
    error: error instanceof CancelledError ? null : error,
    progress: progressOf(job),
  };
}
