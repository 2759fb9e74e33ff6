import {
  degreeIn,
  inSemitones,
  keyName,
  KEYS,
  NAMED_SCALES,
  setSong,
  stepName,
  tuningInForce,
  type Key,
  type NamedScale,
  type StepRule,
  type TuningRecord,
} from '@essim/core';
import {
  Combobox,
  ComboboxButton,
  ComboboxInput,
  ComboboxOption,
  ComboboxOptions,
  Disclosure,
  DisclosureButton,
  DisclosurePanel,
  Listbox,
  ListboxButton,
  ListboxOption,
  ListboxOptions,
} from '@headlessui/react';
import { ChevronDown } from 'lucide-react';
import { useMemo, useRef, useState, type MouseEvent } from 'react';
import { act, change, editViewOf, keyOf, scaleAtOf, songOf, useParts } from '../../open-song';
import { TypedValue } from '../../shell/TypedValue';
import { inScope } from './edits';
import { tuneByFiles } from './tuning-files';

/** The steps a voice may be put on: key, scale, and what holds for each step. */
export function StepsCard() {
  const session = useParts('history', 'views', 'editTrackId', 'selection', 'draft', 'phraseAt', 'backing');
  const { key, chosen, confidence } = keyOf(session);
  const song = songOf(session);
  const scaleAt = song ? scaleAtOf(session) : null;
  const { notes } = editViewOf(session);
  // neither changes while notes are dragged
  const outside = useMemo(
    () => (scaleAt ? notes.filter(n => !degreeIn(scaleAt(n.start), n.sung)).length : 0),
    [notes, scaleAt],
  );
  if (!song) return null;
  const tuning = tuningInForce(song, key);
  return (
    <section aria-label="Steps">
      <div className="mb-1.5 flex items-center gap-2">
        <span className="text-[11px] font-semibold text-ink-2">Key</span>
        <KeyChoice songKey={key} chosen={chosen} confidence={confidence} own={!!song.tuning} />
      </div>
      {key && (
        <>
          <ScaleChoice name={song.tuning?.name ?? key.mode} />
          <Strip tuning={tuning} songKey={key} />
          <StepCents tuning={tuning} songKey={key} />
        </>
      )}
      {key && notes.length > 0 && (
        <p className="mt-1.5 text-[11.5px] text-ink-2">
          {outside
            ? `${outside} of ${notes.length} notes were sung off the allowed steps.`
            : 'Every note was sung near an allowed step.'}
        </p>
      )}
    </section>
  );
}

interface KeyChoiceProps {
  songKey: Key | null;
  chosen: boolean;
  confidence: number;
  /** Whether the song has a tuning of its own: another tonic then keeps it. */
  own: boolean;
}

function KeyChoice({ songKey, chosen, confidence, own }: KeyChoiceProps) {
  const choose = (value: Key | null) =>
    value
      ? act(
          'scale',
          {
            tonic: stepName(value.tonic, value),
            ...(own && value.mode === songKey?.mode ? {} : { name: value.mode }),
          },
          { label: `Key ${keyName(value)}` },
        )
      : change('Key estimated', setSong({ key: null, tuning: null }));
  return (
    <Listbox
      value={chosen ? songKey : null}
      onChange={choose}
      by={(a, b) => a?.tonic === b?.tonic && a?.mode === b?.mode}
    >
      <ListboxButton className="btn ml-auto min-w-0 !px-2 !py-0.5" data-testid="key">
        {!songKey ? 'not known yet' : own ? stepName(songKey.tonic, songKey) : keyName(songKey)}
        {!chosen && songKey && (
          <span className="font-normal text-ink-2">estimated, {Math.round(confidence * 100)} %</span>
        )}
        <ChevronDown size={13} aria-hidden />
      </ListboxButton>
      <ListboxOptions
        anchor="top end"
        className="z-20 max-h-72 w-44 overflow-auto rounded-lg border border-rule bg-card p-1 shadow-lg focus:outline-none"
      >
        <ListboxOption value={null} className="rounded px-2 py-1 data-focus:bg-teal-soft">
          Estimate it
        </ListboxOption>
        {KEYS.map(k => (
          <ListboxOption
            key={keyName(k)}
            value={k}
            className="rounded px-2 py-1 data-focus:bg-teal-soft data-selected:font-semibold"
          >
            {keyName(k)}
          </ListboxOption>
        ))}
      </ListboxOptions>
    </Listbox>
  );
}

const FAMILIES: Record<NamedScale['family'], string> = {
  common: '',
  mode: 'mode',
  five: 'pentatonic, blues',
  other: '',
  maqam: 'quarter tones',
  raga: 'that',
  temperament: 'temperament of the key',
};

/** Scales by name, filtered by what is typed; equal divisions; a Scala file, with a keyboard map beside it. */
function ScaleChoice({ name }: { name: string }) {
  const [typed, setTyped] = useState('');
  const file = useRef<HTMLInputElement>(null);
  const wanted = typed.trim().toLowerCase();
  const found = NAMED_SCALES.filter(s => `${s.name} ${FAMILIES[s.family]}`.toLowerCase().includes(wanted));
  const equal = /^(\d{1,3})/.exec(wanted)?.[1];
  const options: { name: string; about: string }[] = [
    ...(equal && Number(equal) > 1 && Number(equal) <= 120
      ? [{ name: `${equal} equal`, about: 'steps an octave' }]
      : []),
    ...found.map(s => ({ name: s.name, about: FAMILIES[s.family] })),
  ];
  return (
    <div className="mb-1.5 flex items-center gap-1.5">
      <Combobox
        value={name}
        onChange={(value: string | null) => value && act('scale', { name: value })}
        onClose={() => setTyped('')}
        immediate
      >
        <div className="relative min-w-0 flex-1">
          <ComboboxInput
            aria-label="Scale"
            className="w-full rounded-lg border border-rule bg-card py-0.5 pr-6 pl-2"
            displayValue={(value: string) => value}
            onChange={e => setTyped(e.target.value)}
            onFocus={e => e.target.select()}
            onKeyDown={e => e.stopPropagation()}
            data-testid="scale"
          />
          <ComboboxButton className="absolute inset-y-0 right-1 px-1" aria-label="Scales">
            <ChevronDown size={13} aria-hidden />
          </ComboboxButton>
        </div>
        <ComboboxOptions
          anchor="top start"
          className="z-20 max-h-72 w-[250px] overflow-auto rounded-lg border border-rule bg-card p-1 shadow-lg empty:invisible"
        >
          {options.map(o => (
            <ComboboxOption
              key={o.name}
              value={o.name}
              className="flex gap-2 rounded px-2 py-1 data-focus:bg-teal-soft data-selected:font-semibold"
            >
              {o.name}
              <span className="ml-auto font-normal text-ink-2">{o.about}</span>
            </ComboboxOption>
          ))}
        </ComboboxOptions>
      </Combobox>
      <button
        className="btn !px-2 !py-0.5"
        onClick={() => file.current?.click()}
        title="A .scl file, and a .kbm beside it"
      >
        File…
      </button>
      <input
        ref={file}
        type="file"
        accept=".scl,.kbm"
        multiple
        hidden
        aria-label="Scala files"
        data-testid="scala"
        onChange={e => {
          void tuneByFiles([...(e.target.files ?? [])]).finally(() => (e.target.value = ''));
        }}
      />
    </div>
  );
}

type Holds = StepRule['rule'] | 'allowed';
const NEXT: Record<Holds, 'off' | 'left' | 'allowed'> = { allowed: 'off', off: 'left', left: 'allowed', to: 'allowed' };
const LOOKS: Record<Holds, string> = {
  allowed: 'bg-teal-soft text-teal-deep',
  off: 'hatched text-ink-2',
  left: 'border border-dashed border-ink-2 text-ink',
  to: 'border border-teal text-teal-deep',
};

/** Names of a tuning's steps: notes where they are semitones, else their numbers. */
const namesOf = (tuning: TuningRecord, key: Key): string[] => {
  const semitones = inSemitones({ rows: tuning.steps, period: tuning.period });
  return tuning.steps.map((_, i) => (semitones ? stepName(key.tonic + i, key) : String(i + 1)));
};

/** The steps as a strip: a click goes through allowed, off and left as sung; a step dragged onto another goes there. */
function Strip({ tuning, songKey }: { tuning: TuningRecord; songKey: Key }) {
  const names = namesOf(tuning, songKey);
  const octave = octaveInScope();
  const ruleOf = (step: number) =>
    tuning.rules.find(r => r.step === step && r.octave === octave) ??
    tuning.rules.find(r => r.step === step && r.octave === undefined);
  const cycle = (step: number, e: MouseEvent) => {
    const rule = NEXT[ruleOf(step)?.rule ?? 'allowed'];
    act('step-rule', { step, rule, ...(e.shiftKey ? { octave } : {}) });
  };
  const perRow = names.length > 16 ? 12 : names.length;
  return (
    <div
      className="grid gap-0.5"
      style={{ gridTemplateColumns: `repeat(${perRow}, minmax(0, 1fr))` }}
      role="group"
      aria-label="Steps of the tuning"
    >
      {names.map((name, step) => {
        const rule = ruleOf(step);
        const holds = rule?.rule ?? 'allowed';
        const here = rule?.octave === undefined ? '' : `, in octave ${rule.octave} alone`;
        const goes = rule?.rule === 'to' ? `goes to ${names[rule.to!]}` : '';
        const said = goes || (holds === 'left' ? 'left as sung' : holds);
        return (
          <button
            key={step}
            draggable
            className={`grid h-8 place-items-center rounded text-[10.5px] font-semibold ${LOOKS[holds]}`}
            aria-label={`Step ${name}: ${said}${here}`}
            title={`${name}, ${Math.round(tuning.steps[step] * 10) / 10} cents: ${said}${here}. Click: ${NEXT[holds] === 'left' ? 'left as sung' : NEXT[holds]}. Shift: octave ${octave} alone. Drag onto another: goes there`}
            onClick={e => cycle(step, e)}
            onDragStart={e => e.dataTransfer.setData('text/x-step', String(step))}
            onDragOver={e => e.preventDefault()}
            onDrop={e => {
              e.preventDefault();
              const from = e.dataTransfer.getData('text/x-step');
              if (from && Number(from) !== step)
                act('step-rule', { step: Number(from), rule: { to: step }, ...(e.shiftKey ? { octave } : {}) });
            }}
          >
            {rule?.rule === 'to' ? `→${names[rule.to!]}` : name}
          </button>
        );
      })}
    </div>
  );
}

/** The octave that Shift means: that of the first note in scope, else the middle one. */
function octaveInScope(): number {
  const first = inScope()[0];
  return first ? Math.floor(Math.round(first.edit?.target ?? first.note.sung) / 12) - 1 : 4;
}

function StepCents({ tuning, songKey }: { tuning: TuningRecord; songKey: Key }) {
  const names = namesOf(tuning, songKey);
  const set = (step: number, cents: number) =>
    act('scale', { steps: tuning.steps.map((c, i) => (i === step ? cents : c)) });
  return (
    <Disclosure as="div" className="mt-1">
      <DisclosureButton className="group flex w-full items-center gap-1 rounded text-left text-[11.5px] text-ink-2">
        Cents of each step
        <ChevronDown size={12} className="transition group-data-open:rotate-180" aria-hidden />
      </DisclosureButton>
      <DisclosurePanel className="mt-1 grid grid-cols-3 gap-x-3 gap-y-0.5">
        {tuning.steps.map((cents, step) => (
          <span key={step} className="flex items-center gap-1 text-[11.5px]">
            <span className="w-6 font-semibold">{names[step]}</span>
            <TypedValue
              label={`Cents of ${names[step]}`}
              text={String(Math.round(cents * 100) / 100)}
              value={cents}
              low={0}
              high={tuning.period}
              unit="cents"
              disabled={step === 0}
              onSet={v => v !== null && set(step, v)}
            />
          </span>
        ))}
      </DisclosurePanel>
    </Disclosure>
  );
}
