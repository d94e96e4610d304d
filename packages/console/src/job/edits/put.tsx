import { counted } from '../../components/format';
import type { EditForm } from './form';

/** A value of its own for each of some records: pasted into the grid or out of a file, not typed here. */
export const put: EditForm<'put'> = {
  action: null,
  fits: () => true,
  complete: ({ field, values, given }) => {
    if (field === undefined) return null;
    if (given !== undefined) return { kind: 'put', field, given };
    return values === undefined ? null : { kind: 'put', field, values };
  },
  Form({ edit }) {
    if (edit.given) return <p className="flex-1">{counted(edit.given.count, 'value')}, each for its own record.</p>;
    const values = Object.values(edit.values ?? {});
    return (
      <p className="flex-1">
        {counted(values.length, 'pasted value')}, each for its own record:{' '}
        <span className="text-quiet">
          {values.slice(0, 4).join(', ')}
          {values.length > 4 && ' …'}
        </span>
      </p>
    );
  },
};
