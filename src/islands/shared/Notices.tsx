/** Where short messages appear: on the sheet, in the words' own type, above the transport. */
import { Toaster } from 'sonner';

const LOOK = { '--normal-bg': 'var(--sheet)', '--normal-border': 'var(--line2)', '--normal-text': 'var(--ink)', '--normal-bg-hover': 'var(--soft)', '--normal-border-hover': 'var(--ink)', '--border-radius': 'var(--radius-card)', fontFamily: 'var(--font-sans)' } as React.CSSProperties;

export function Notices({ offset }: { offset?: number }) {
  return <Toaster theme="system" position="bottom-center" offset={offset} closeButton style={LOOK} toastOptions={{ classNames: { description: '!text-ink2' } }} />;
}
