import { useMutation, useQueryClient, type UseMutationResult } from '@tanstack/react-query';

/** A change of one unit or, without one, of the bench; what it touches is read anew. */
export function useChange<Input, Output>(
  change: (input: Input) => Promise<Output>,
  unit?: string,
): UseMutationResult<Output, Error, Input> {
  const queries = useQueryClient();
  return useMutation({
    mutationFn: change,
    onSettled: async () => {
      const keys = unit === undefined ? [['bench']] : [['bench'], ['unit', unit], ['log', unit]];
      await Promise.all(keys.map((queryKey) => queries.invalidateQueries({ queryKey })));
    },
  });
}
