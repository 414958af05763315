import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";
import { statusQuery } from "../shell/queries";
import { roundsQuery } from "./queries";

interface PutOff {
  ids: readonly number[];
  /** Null brings them back. */
  until: Date | null;
  note: string;
}

/** Put findings off until later, with a note, or bring them back. */
export function usePutOff() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ ids, until, note }: PutOff) =>
      Promise.all(
        ids.map((id) => {
          const params = { path: { id } };
          return until
            ? unwrap(
                api.PUT("/api/rounds/findings/{id}/acknowledged/", {
                  params,
                  body: { until: until.toISOString(), note },
                }),
              )
            : unwrap(api.DELETE("/api/rounds/findings/{id}/acknowledged/", { params }));
        }),
      ),
    onSettled: async () => {
      await queries.invalidateQueries({ queryKey: roundsQuery().queryKey });
      await queries.invalidateQueries({ queryKey: statusQuery().queryKey });
    },
  });
}
