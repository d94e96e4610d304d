import type { RuleBody, RuleView } from '@tantamos/contract';
import { useMutation, useQuery } from '@tanstack/react-query';
import { api } from '../app/api';
import { LinkButton } from '../components/Button';
import { moment } from '../components/format';
import { Problems } from '../components/Problems';
import { Sheet } from '../components/Sheet';
import { Trouble, Working } from '../components/states';
import { Table, tableCell } from '../components/Table';
import { queries } from '../queries';

/** Every version of a rule, with who and when; each can be brought back. */
export default function RuleVersions({
  rule,
  onClose,
  onBack,
}: {
  rule: RuleView;
  onClose: () => void;
  onBack: () => void;
}) {
  const versions = useQuery(queries.ruleVersions(rule.name));
  const back = useMutation({
    mutationFn: (said: unknown) => api.saveRule({ ...(said as RuleBody), version: rule.version }),
    onSuccess: () => {
      onBack();
      onClose();
    },
  });
  return (
    <Sheet open onClose={onClose} title={`Versions of “${rule.name}”`}>
      <div className="space-y-3 overflow-auto p-4">
        <Problems error={back.error} />
        {versions.isPending ? (
          <Working what="Reading the versions" />
        ) : versions.isError ? (
          <Trouble error={versions.error} />
        ) : (
          <Table
            label="Versions"
            heads={['Version', 'Saved', 'By', 'State', 'Says', 'What to do'].map((label) => ({
              label,
              hidden: label === 'What to do',
            }))}
          >
            {versions.data.map((v) => (
              <tr key={v.version}>
                <td className={tableCell}>{v.version}</td>
                <td className={tableCell}>{moment(v.changedAt)}</td>
                <td className={tableCell}>{v.changedBy}</td>
                <td className={tableCell}>{v.isOn ? 'On' : 'Off'}</td>
                <td className={`${tableCell} w-full max-w-0 truncate`} title={`${v.words} (“${v.said.message}”)`}>
                  {v.words} <span className="text-quiet">{v.said.message}</span>
                </td>
                <td className={`${tableCell} text-right`}>
                  {v.version !== rule.version && (
                    <LinkButton aria-label={`Bring back version ${v.version}`} onClick={() => back.mutate(v.said)}>
                      Bring back
                    </LinkButton>
                  )}
                </td>
              </tr>
            ))}
          </Table>
        )}
      </div>
    </Sheet>
  );
}
