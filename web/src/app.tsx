import { QueryClientProvider } from '@tanstack/react-query';
import { Tooltip } from 'radix-ui';
import { useEffect } from 'react';
import { ErrorBoundary } from 'react-error-boundary';
import { Link, Redirect, Route, Switch } from 'wouter';
import { NewProject } from './pages/new-project';
import { ProjectPage } from './pages/project';
import { ProjectsPage } from './pages/projects';
import { SheetPage } from './pages/sheet';
import { client } from './state/queries';
import { useView } from './state/view';
import { Broken } from './ui/broken';

/** The pages: all projects, one project, and an address that is neither. */
export function App() {
  const dusk = useView((v) => v.dusk);
  useEffect(() => {
    document.documentElement.classList.toggle('dusk', dusk);
  }, [dusk]);
  return (
    <QueryClientProvider client={client}>
      <Tooltip.Provider delayDuration={400}>
        <ErrorBoundary FallbackComponent={Broken}>
          <Switch>
            <Route path="/">
              <Redirect to="/projects" replace />
            </Route>
            <Route path="/projects">
              <ProjectsPage />
            </Route>
            <Route path="/projects/:id/sheet">{({ id }) => (/^\d{1,15}$/.test(id) ? <SheetPage id={Number(id)} /> : <Nowhere />)}</Route>
            <Route path="/projects/:id">{({ id }) => (/^\d{1,15}$/.test(id) ? <ProjectPage id={Number(id)} /> : <Nowhere />)}</Route>
            <Route>
              <Nowhere />
            </Route>
          </Switch>
          <NewProject />
        </ErrorBoundary>
      </Tooltip.Provider>
    </QueryClientProvider>
  );
}

const Nowhere = () => (
  <main className="grid h-full place-items-center bg-ground">
    <div className="px-6 text-center">
      <h1 className="text-[22px] font-semibold">There is nothing at this address</h1>
      <p className="mt-1 mb-4 text-faded">It may have been mistyped.</p>
      <Link href="/projects" className="rounded-md bg-madder px-3.5 py-1 font-semibold text-on-madder">
        All projects
      </Link>
    </div>
  </main>
);
