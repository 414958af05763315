import { useMutation, useQueryClient } from "@tanstack/react-query";
import { api, unwrap } from "../api/client";
import { STATUS_KEY } from "../shell/useStatus";

interface PutOff {
  id: number;
  /** Null brings it back. */
  until: Date | null;
  note: string;
}

/** Put a finding off until later, with a note, or bring it back. */
export function usePutOff() {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: ({ id, until, note }: PutOff) => {
      const params = { path: { id } };
      return until
        ? unwrap(
            api.PUT("/api/rounds/findings/{id}/acknowledged/", {
              params,
              body: { until: until.toISOString(), note },
            }),
          )
        : unwrap(api.DELETE("/api/rounds/findings/{id}/acknowledged/", { params }));
    },
    onSuccess: async () => {
      await queries.invalidateQueries({ queryKey: ["rounds"] });
      await queries.invalidateQueries({ queryKey: STATUS_KEY });
    },
  });
}
