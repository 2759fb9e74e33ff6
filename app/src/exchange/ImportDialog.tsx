import { CHANNEL_CHOICES, counted, noteName, ROLES, type ChannelChoice, type Role } from '@essim/core';
import { Dialog, DialogBackdrop, DialogPanel, DialogTitle } from '@headlessui/react';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { memo } from 'react';
import { useNavigate } from 'react-router';
import { toast } from 'sonner';
import { useShallow } from 'zustand/react/shallow';
import {
  cancelImport,
  changeRow,
  finishImport,
  stopRow,
  useImports,
  type ImportRow,
  type ImportTarget,
} from './importing';
import { trackOf, useSession } from '../open-song';
import type { PicturedVoice } from './pictured';
import { VoicePicture } from './VoicePicture';

const CHANNEL_NAMES: Record<ChannelChoice, string> = {
  left: 'left only',
  right: 'right only',
  mix: 'both mixed',
  stereo: 'kept stereo',
  linked: 'two microphones',
};

function titleOf(target: ImportTarget | null, trackName: string | undefined): string {
  if (target?.kind === 'takes') return `New takes for ${trackName ?? 'the track'}`;
  return target?.kind === 'tracks' ? 'New tracks' : 'New song';
}

/** What is being brought in: each file with its progress, and what it is to be. */
export function ImportDialog() {
  const { target, rows, songName } = useImports();
  const navigate = useNavigate();
  const queries = useQueryClient();
  const trackName = useSession(s => (target?.kind === 'takes' ? trackOf(s, target.trackId)?.name : undefined));
  const pending = rows.filter(r => r.status === 'waiting' || r.status === 'reading').length;
  const ready = rows.filter(r => r.status === 'ready').length;
  const bring = useMutation({
    mutationFn: finishImport,
    onSuccess: ({ songId, brought, problems }) => {
      for (const p of problems) toast.error(p, { duration: 12000 });
      if (brought && !songId) toast.success(`${brought} ${brought === 1 ? 'file' : 'files'} brought in.`);
      void queries.invalidateQueries({ queryKey: ['songs'] });
      if (songId) void navigate(`/song/${songId}/gather`);
    },
    onError: error => toast.error(`The files could not be brought in: ${error.message}. Nothing was changed.`),
  });
  return (
    <Dialog open={!!target} onClose={() => {}} className="relative z-30">
      <DialogBackdrop className="fixed inset-0 bg-ink/25" />
      <div className="fixed inset-0 flex items-center justify-center p-6">
        <DialogPanel className="flex max-h-full w-full max-w-3xl flex-col rounded-xl border border-rule bg-card p-5 shadow-xl">
          <DialogTitle className="text-lg font-semibold">{titleOf(target, trackName)}</DialogTitle>
          {target?.kind === 'song' && (
            <label className="mt-3 flex items-center gap-2">
              <span className="text-ink-2">Name</span>
              <input
                className="flex-1 rounded-lg border border-rule bg-card px-2.5 py-1.5"
                value={songName}
                maxLength={200}
                onChange={e => useImports.setState({ songName: e.target.value })}
              />
            </label>
          )}
          <p className="mt-2 text-ink-2" aria-live="polite">
            {pending
              ? `Reading ${rows.length - pending + 1} of ${rows.length}. Meanwhile, say what each one is.`
              : `${ready} of ${rows.length} can be used. Essim guessed what each is from its name and sound.`}
          </p>
          <ul className="mt-2 min-h-0 flex-1 divide-y divide-rule-soft overflow-auto">
            {rows.map(r => (
              <Row key={r.id} row={r} takes={target?.kind === 'takes'} />
            ))}
          </ul>
          <div className="mt-4 flex items-center justify-end gap-2">
            <button className="btn" onClick={cancelImport} disabled={bring.isPending}>
              Cancel
            </button>
            <button
              className="btn btn-ink"
              onClick={() => bring.mutate()}
              disabled={bring.isPending || pending > 0}
              data-testid="bring-in"
            >
              {ready || pending ? `Bring in ${ready || ''}` : 'Close'}
            </button>
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}

const select = 'rounded-lg border border-rule bg-card px-1.5 py-1 disabled:opacity-50';
const clock = (s: number) => `${Math.floor(s / 60)}:${String(Math.floor(s % 60)).padStart(2, '0')}`;

const canBeLinked = (r: ImportRow) => r.result?.channelCount === 1;

/** What was heard of a voice so far. @param of how long it is */
function Heard({ voice, of }: { voice: PicturedVoice; of: number | undefined }) {
  const { notes, seconds } = voice;
  const pitches = notes.map(n => n.pitch);
  const range = notes.length ? `, ${noteName(Math.min(...pitches))} to ${noteName(Math.max(...pitches))}` : '';
  const partly = of === undefined || seconds < of - 0.1;
  return (
    <span className="mt-1 flex items-center gap-2 text-[12px] text-ink-2 tabular-nums" data-testid="heard">
      <span className="min-w-0 flex-1 rounded bg-paper">
        <VoicePicture voice={voice} className="h-9" />
      </span>
      <span className="w-36 leading-4">
        {counted(notes.length, 'note')}
        {range}
        {partly && <span className="block">in the first {clock(seconds)}</span>}
      </span>
    </span>
  );
}

const Row = memo(function Row({ row, takes }: { row: ImportRow; takes: boolean }) {
  const busy = row.status === 'waiting' || row.status === 'reading';
  const bad = row.status === 'failed' || row.status === 'stopped';
  const stereo = (row.result?.channelCount ?? 1) > 1;
  const leader = useImports(s => s.rows.find(r => r.id === row.linkedTo));
  const followers = useImports(s => s.rows.some(r => r.linkedTo === row.id));
  const others = useImports(useShallow(s => s.rows.filter(r => r.id !== row.id && canBeLinked(r) && !r.linkedTo)));
  const canLink = canBeLinked(row) ? others : [];
  return (
    <li className="grid grid-cols-[1fr_auto] items-center gap-x-3 py-1.5" data-testid={`import-${row.file.name}`}>
      <div className="min-w-0">
        <span className={`block truncate font-semibold ${bad ? 'text-ink-2' : ''}`}>{row.file.name}</span>
        {bad ? (
          <span className="block text-[12px] text-amber">
            {row.status === 'stopped' ? 'Stopped.' : `Could not be used: ${row.problem}.`}
          </span>
        ) : busy ? (
          <span className="mt-1 block h-1.5 overflow-hidden rounded bg-rule-soft">
            <span
              className="block h-full bg-teal"
              role="progressbar"
              aria-label={`Reading ${row.file.name}`}
              aria-valuenow={Math.round(row.progress * 100)}
              style={{ width: `${row.progress * 100}%` }}
            />
          </span>
        ) : (
          <span className="block truncate text-[12px] text-ink-2 tabular-nums">
            {clock(row.result!.seconds)} · {row.result!.format}, {row.result!.fileRate / 1000} kHz ·{' '}
            {stereo ? 'two channels' : 'one channel'}
            {row.result!.stampSeconds !== null ? ' · time-stamped' : ''}
            {leader ? ` · second microphone of ${leader.file.name}` : ''}
          </span>
        )}
        {!bad && row.heard && <Heard voice={row.heard} of={row.result?.seconds} />}
      </div>
      <div className="flex items-center gap-1.5">
        {busy && (
          <button className="btn" onClick={() => stopRow(row.id)}>
            Stop
          </button>
        )}
        {!bad && !takes && !leader && (
          <>
            <input
              className="w-36 rounded-lg border border-rule bg-card px-2 py-1"
              aria-label={`Track of ${row.file.name}`}
              value={row.name}
              maxLength={200}
              onChange={e => changeRow(row.id, { name: e.target.value || row.guess.name })}
            />
            <select
              className={select}
              aria-label={`Role of ${row.file.name}`}
              value={row.role}
              onChange={e => changeRow(row.id, { role: e.target.value as Role, guess: { ...row.guess, told: true } })}
            >
              {ROLES.filter(r => r !== 'part').map(r => (
                <option key={r}>{r}</option>
              ))}
            </select>
          </>
        )}
        {!bad && !takes && row.guess.take !== null && !leader && (
          <span className="pill" title="Files of one name with take numbers become takes of one track">
            take {row.guess.take}
          </span>
        )}
        {stereo && (
          <select
            className={`${select} w-28`}
            aria-label={`Channels of ${row.file.name}`}
            value={row.channels}
            onChange={e => changeRow(row.id, { channels: e.target.value as ChannelChoice })}
          >
            {CHANNEL_CHOICES.filter(c => c !== 'linked').map(c => (
              <option key={c} value={c}>
                {CHANNEL_NAMES[c]}
              </option>
            ))}
          </select>
        )}
        {!busy && !bad && !stereo && row.role !== 'backing' && !followers && (canLink.length > 0 || leader) && (
          <select
            className={`${select} w-28`}
            aria-label={`Same singer as ${row.file.name}`}
            title="Two microphones of one singer are edited as one"
            value={row.linkedTo ?? ''}
            onChange={e => changeRow(row.id, { linkedTo: e.target.value || null })}
          >
            <option value="">on its own</option>
            {[...(leader ? [leader] : []), ...canLink.filter(r => r !== leader)].map(r => (
              <option key={r.id} value={r.id}>
                with {r.file.name}
              </option>
            ))}
          </select>
        )}
      </div>
    </li>
  );
});
