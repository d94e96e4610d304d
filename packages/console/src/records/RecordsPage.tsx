import { useQuery } from '@tanstack/react-query';
import { Navigate, useParams } from 'react-router';
import { Empty, Trouble, Working } from '../components/states';
import { useDraft } from '../job/DraftKeeper';
import { queries } from '../queries';
import { Records } from './Records';

/** The type that the address names; without one, that of the unfinished job, or the first that can be read. */
export function RecordsPage() {
  const { type: id } = useParams();
  const { draft } = useDraft();
  const types = useQuery(queries.types());
  const type = useQuery({ ...queries.type(id ?? ''), enabled: id !== undefined });
  if (types.isPending || (id !== undefined && type.isPending)) return <Working what="Reading the types" />;
  if (!types.data) return <Trouble error={types.error} onRetry={() => void types.refetch()} />;
  if (id === undefined) {
    const first =
      types.data.find((t) => t.id === draft.type && t.notReadable === null) ??
      types.data.find((t) => t.notChangeable === null) ??
      types.data.find((t) => t.notReadable === null);
    if (!first)
      return (
        <Empty
          title={
            types.data.length > 0
              ? 'The account Tantamos uses may read nothing here.'
              : 'This database has no tables yet.'
          }
        />
      );
    return <Navigate to={`/records/${encodeURIComponent(first.id)}`} replace />;
  }
  if (!type.data) return <Trouble error={type.error} />;
  return <Records key={id} type={type.data} types={types.data} />;
}
