import { useRef } from 'react';

interface FileButtonProps {
  children: string;
  /** What the chooser takes, as inputs say it, and what that is called. */
  accept: string;
  label: string;
  title?: string;
  className?: string;
  testId?: string;
  disabled?: boolean;
  onFile: (file: File) => Promise<void>;
}

/** A button that asks for a file. */
export function FileButton({
  children,
  accept,
  label,
  title,
  className = 'btn flex-1',
  testId,
  disabled,
  onFile,
}: FileButtonProps) {
  const chooser = useRef<HTMLInputElement>(null);
  return (
    <>
      <button className={className} disabled={disabled} onClick={() => chooser.current?.click()} title={title}>
        {children}
      </button>
      <input
        ref={chooser}
        type="file"
        accept={accept}
        hidden
        aria-label={label}
        data-testid={testId}
        onChange={e => {
          const chosen = e.target.files?.[0];
          if (chosen) void onFile(chosen).finally(() => (e.target.value = ''));
        }}
      />
    </>
  );
}

type MidiFileButtonProps = Omit<FileButtonProps, 'accept' | 'label' | 'title' | 'className'>;

/** The same for a standard MIDI file. */
export const MidiFileButton = (props: MidiFileButtonProps) => (
  <FileButton {...props} accept=".mid,.midi,audio/midi" label="MIDI file" title="A standard MIDI file" />
);
