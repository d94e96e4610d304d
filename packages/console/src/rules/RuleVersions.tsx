import type { RuleBody, RuleView } from '@tantamos/contract';
import { useQuery } from '@tanstack/react-query';
import { api } from '../app/api';
import { Versions } from '../components/Versions';
import { queries } from '../queries';

/** Every version of a rule. */
export default function RuleVersions({
  rule,
  onClose,
  onBack,
}: {
  rule: RuleView;
  onClose: () => void;
  onBack: () => void;
}) {
  return (
    <Versions
      of={rule.name}
      versions={useQuery(queries.ruleVersions(rule.name))}
      newest={rule.version}
      says="Asks"
      cell={(v) => (
        <>
          {v.isOn ? '' : 'Off: '}
          {v.words} <span className="text-quiet">{v.said.message}</span>
        </>
      )}
      onBack={async (v) => {
        await api.saveRule({ ...(v.said as unknown as RuleBody), version: rule.version });
        onBack();
      }}
      onClose={onClose}
    />
  );
}
