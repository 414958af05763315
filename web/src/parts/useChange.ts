import { useMutation, useQueryClient } from "@tanstack/react-query";

/** A change of what pages show: they ask anew once it is made. */
export function useChange<Given = void, Made = unknown>(
  change: (given: Given) => Promise<Made>,
  onMade: (made: Made) => void = () => undefined,
) {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSuccess: (made) => {
      onMade(made);
      void queries.invalidateQueries();
    },
  });
}
