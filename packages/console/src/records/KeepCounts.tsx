import type { SelectionParts } from '@tantamos/contract';
import { useMutation } from '@tanstack/react-query';
import { api, queryClient } from '../app/api';
import { LinkButton } from '../components/Button';
import { Problems } from '../components/Problems';
import { queries } from '../queries';

interface Props {
  type: string;
  parts: SelectionParts;
  fields: readonly string[];
  onShow: () => void;
}

/** Keeps the counts of these fields, to be compared with later ones. */
export function KeepCounts({ type, parts, fields, onShow }: Props) {
  const keep = useMutation({
    mutationFn: () => api.keepCounts({ name: fields.join(' × '), selection: { type, ...parts }, fields: [...fields] }),
    onSuccess: () => queryClient.invalidateQueries(queries.counts()),
  });
  return (
    <span className="flex items-center gap-3">
      <Problems error={keep.error} />
      {keep.isSuccess ? (
        <span role="status">Kept.</span>
      ) : (
        <LinkButton onClick={() => keep.mutate()}>Keep these counts</LinkButton>
      )}
      <LinkButton onClick={onShow}>Kept counts…</LinkButton>
    </span>
  );
}
