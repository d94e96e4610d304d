import type { WorkspaceBody } from '@tantamos/contract';
import { useMutation } from '@tanstack/react-query';
import { useState, type FormEvent } from 'react';
import { api, queryClient } from '../app/api';
import { usePerson } from '../app/session';
import { Button } from '../components/Button';
import { Line } from '../components/inputs';
import { Problems } from '../components/Problems';
import { queries } from '../queries';

/** What holds for everybody. */
export function WorkspacePage() {
  const { workspace: now } = usePerson();
  const [name, setName] = useState(now.name);
  const [zone, setZone] = useState(now.timeZone);
  const [hours, setHours] = useState(String(now.previewHours));
  const [minutes, setMinutes] = useState(String(now.previewMinutes));
  const [months, setMonths] = useState(now.keepMonths === null ? '' : String(now.keepMonths));
  const [gigabytes, setGigabytes] = useState(String(now.journalGb));
  const [why, setWhy] = useState(now.whyRequired);
  const save = useMutation({
    mutationFn: () => {
      const body: WorkspaceBody = { name, timeZone: zone, whyRequired: why };
      body.previewHours = Number(hours);
      body.previewMinutes = Number(minutes);
      body.keepMonths = months.trim() ? Number(months) : null;
      body.journalGb = Number(gigabytes);
      return api.setWorkspace(body);
    },
    onSuccess: () =>
      Promise.all(
        [queries.me().queryKey, ['setting-changes']].map((queryKey) => queryClient.invalidateQueries({ queryKey })),
      ),
  });
  const submit = (event: FormEvent): void => {
    event.preventDefault();
    save.mutate();
  };
  return (
    <>
      <h1 className="text-base font-semibold">Workspace</h1>
      <form className="max-w-md space-y-4" onSubmit={submit}>
        <Line label="Called" value={name} onChange={setName} maxLength={200} required />
        <Line
          label="Time zone"
          value={zone}
          onChange={setZone}
          hint="Such as Europe/Berlin: what TODAY() and the day of a moment mean."
          required
        />
        <Line label="Hours that a preview may be started" value={hours} onChange={setHours} inputMode="numeric" />
        <Line
          label="Minutes that a preview may be worked out"
          value={minutes}
          onChange={setMinutes}
          inputMode="numeric"
        />
        <Line
          label="Months that journals are kept"
          value={months}
          onChange={setMonths}
          inputMode="numeric"
          placeholder="for good"
        />
        <Line
          label="Maximum size of journals (GB)"
          value={gigabytes}
          onChange={setGigabytes}
          inputMode="numeric"
          hint="When it is reached, no previews can be made until there is room again."
        />
        <label className="flex items-center gap-2">
          <input type="checkbox" className="accent-accent" checked={why} onChange={(e) => setWhy(e.target.checked)} />
          Every job must say why
        </label>
        <Problems error={save.error} />
        <div className="flex items-center gap-3">
          <Button type="submit" main busy={save.isPending}>
            Save
          </Button>
          {save.isSuccess && <span role="status">Saved.</span>}
        </div>
      </form>
    </>
  );
}
