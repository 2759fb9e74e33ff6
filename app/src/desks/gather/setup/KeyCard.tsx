import { keyName, KEYS, parseKey, setSong, type KeyChange, type SongKey } from '@essim/core';
import { NumberInput } from '../../../shell/inputs';
import { change, keyOf, leadOf, player, rankedKeys, songOf, useSession, viewOf } from '../../../open-song';
import { barAtPlayhead, setKey } from '../edits';
import { ChangeRow, without, withChanged } from './ChangeRow';

const select = 'w-0 flex-1 rounded-lg border border-rule bg-card px-2 py-1';

/** The key: ranked by what is sung and played, chosen, and changed at bars. */
export function KeyCard() {
  const song = useSession(songOf);
  const ranked = useSession(rankedKeys);
  const backing = useSession(s => s.backing);
  const notes = useSession(s => {
    const lead = songOf(s) && leadOf(songOf(s)!);
    return lead ? viewOf(s, lead.id).notes.length : 0;
  });
  const { key, chosen, confidence } = keyOf(useSession.getState());
  const from = [notes ? `${notes} notes` : '', backing ? 'the backing' : ''].filter(Boolean).join(' and ');
  const changes = [...(song?.keyChanges ?? [])].sort((a, b) => a.bar - b.bar);
  const setChanges = (label: string, keyChanges: KeyChange[]) => change(label, setSong({ keyChanges }));
  return (
    <section className="card" aria-label="Key">
      <h2 className="text-[12.5px] font-semibold">{from ? `Key, from ${from}` : 'Key'}</h2>
      {ranked.slice(0, 3).map(k => {
        const now = key?.tonic === k.tonic && key.mode === k.mode;
        return (
          <button
            key={keyName(k)}
            className={`grid w-full grid-cols-[84px_1fr_40px] items-center gap-2 rounded px-1 py-[3px] text-left hover:bg-rule-soft ${now ? 'font-semibold' : ''}`}
            aria-pressed={now && chosen}
            title={`Set the key to ${keyName(k)}`}
            onClick={() => setKey({ tonic: k.tonic, mode: k.mode }, `Key ${keyName(k)}`)}
          >
            <span>{keyName(k)}</span>
            <span className="h-1.5 overflow-hidden rounded bg-rule-soft">
              <span className="block h-full bg-teal" style={{ width: `${k.confidence * 100}%` }} />
            </span>
            <span className="text-right text-ink-2 tabular-nums">{Math.round(k.confidence * 100)} %</span>
          </button>
        );
      })}
      {!ranked.length && <p className="py-1 text-ink-2">No notes and no backing to tell it from yet.</p>}
      <div className="mt-1.5 flex items-center gap-2">
        <KeyChoice
          label="Key of the song"
          value={chosen ? key : null}
          none={key ? `estimated: ${keyName(key)}, ${Math.round(confidence * 100)} %` : 'not known'}
          onSet={k => setKey(k, k ? `Key ${keyName(k)}` : 'Key estimated')}
        />
        <button
          className="btn"
          disabled={!song?.tempo}
          title={song?.tempo ? 'Another key from the playhead’s bar on' : 'Set a tempo first: key changes lie on bars'}
          onClick={() => {
            const bar = barAtPlayhead(player()?.position ?? 0);
            const rest = changes.filter(c => c.bar !== bar);
            setChanges(`Key change at bar ${bar}`, [...rest, { bar, ...(key ?? KEYS[0]) }]);
          }}
        >
          Change…
        </button>
      </div>
      {changes.map((c, i) => (
        <ChangeRow key={i} what="key change" onDelete={() => setChanges('Delete a key change', without(changes, c))}>
          <span>bar</span>
          <NumberInput
            label="Bar of the key change"
            value={c.bar}
            low={2}
            high={9999}
            digits={0}
            onSet={bar => setChanges('Move a key change', withChanged(changes, c, { bar: Math.round(bar) }))}
          />
          <KeyChoice
            label="Key from there"
            value={c}
            onSet={k => k && setChanges(`Key change to ${keyName(k)}`, withChanged(changes, c, k))}
          />
        </ChangeRow>
      ))}
      <p className="mt-2 text-[11.5px] text-ink-2">
        Changing the key moves no note; it changes the marks and where settling puts notes from then on.
      </p>
    </section>
  );
}

interface KeyChoiceProps {
  label: string;
  value: SongKey | null;
  /** What no choice is called, where that is one. */
  none?: string;
  onSet: (key: SongKey | null) => void;
}

function KeyChoice({ label, value, none, onSet }: KeyChoiceProps) {
  return (
    <select
      className={select}
      aria-label={label}
      value={value ? keyName(value) : ''}
      onChange={e => onSet(e.target.value ? parseKey(e.target.value) : null)}
    >
      {none !== undefined && <option value="">{none}</option>}
      {KEYS.map(k => (
        <option key={keyName(k)}>{keyName(k)}</option>
      ))}
    </select>
  );
}
