import { Disclosure, DisclosureButton, DisclosurePanel } from '@headlessui/react';
import { ChevronDown } from 'lucide-react';
import type { ReactNode } from 'react';

/** A few controls under a heading that says what is set. */
export function Section({ title, summary, children }: { title: string; summary: string; children: ReactNode }) {
  return (
    <Disclosure as="section" aria-label={title} className="border-t border-rule-soft pt-1">
      <DisclosureButton className="group flex w-full items-center gap-2 rounded py-0.5 text-left">
        <span className="text-[11px] font-semibold text-ink-2">{title}</span>
        <span className="ml-auto truncate text-[11.5px] text-ink-2 tabular-nums">{summary}</span>
        <ChevronDown size={13} className="shrink-0 transition group-data-open:rotate-180" aria-hidden />
      </DisclosureButton>
      <DisclosurePanel className="pb-1">{children}</DisclosurePanel>
    </Disclosure>
  );
}
