import { useRef } from 'react';

/** A button that asks for a standard MIDI file. */
export function MidiFileButton({
  children,
  testId,
  disabled,
  onFile,
}: {
  children: string;
  testId: string;
  disabled?: boolean;
  onFile: (file: File) => Promise<void>;
}) {
  const chooser = useRef<HTMLInputElement>(null);
  return (
    <>
      <button
        className="btn flex-1"
        disabled={disabled}
        onClick={() => chooser.current?.click()}
        title="A standard MIDI file"
      >
        {children}
      </button>
      <input
        ref={chooser}
        type="file"
        accept=".mid,.midi,audio/midi"
        hidden
        aria-label="MIDI file"
        data-testid={testId}
        onChange={e => {
          const chosen = e.target.files?.[0];
          if (chosen) void onFile(chosen).finally(() => (e.target.value = ''));
        }}
      />
    </>
  );
}
