import { MantineProvider } from '@mantine/core';
import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { render, type RenderResult } from '@testing-library/react';
import type { ReactNode } from 'react';
import { MemoryRouter, useLocation } from 'react-router';
import { theme } from '../theme/theme.js';

/** Shows the address, so that a test can see what a click did to it. */
const Address = () => {
  const { pathname, search } = useLocation();
  return <output data-testid="address">{decodeURIComponent(`${pathname}${search}`)}</output>;
};

/**
 * Renders a part of the interface with all that it stands on. Under `env="test"` nothing fades, and what
 * drops down is not hidden because its button has no size, which nothing has in jsdom.
 */
export function renderAt(path: string, part: ReactNode): RenderResult {
  return render(
    <MantineProvider theme={theme} env="test">
      <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
        <MemoryRouter initialEntries={[path]}>
          {part}
          <Address />
        </MemoryRouter>
      </QueryClientProvider>
    </MantineProvider>,
  );
}
