import type { ReactNode } from 'react';

/** What went wrong, told at once to who listens to the page as well. */
export function Alarm({ children }: { readonly children: ReactNode }) {
  return (
    <p className="alarm" role="alert">
      {children}
    </p>
  );
}
