import { counted } from '../../components/format';
import type { EditForm } from './form';

/** A value of its own for each of some records: pasted into the grid, not typed here. */
export const put: EditForm<'put'> = {
  action: null,
  fits: () => true,
  complete: ({ field, values }) =>
    field !== undefined && values !== undefined ? { kind: 'put', field, values } : null,
  Form({ edit }) {
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
