import '@fontsource-variable/instrument-sans';
import '@fontsource-variable/newsreader/opsz.css';
import '@fontsource-variable/newsreader/wght-italic.css';
import '@fontsource-variable/spline-sans-mono';
import 'bootstrap/dist/css/bootstrap.min.css';
import './style/tokens.css';
import './style/primrose.css';
import './style/map.css';
import './style/turn.css';
import './style/simulator.css';
import './style/console.css';
import './style/acting.css';
import './style/editing.css';
import './style/understanding.css';
import './style/keeping.css';
import './style/pages.css';
import { QueryClientProvider } from '@tanstack/react-query';
import { lazy, StrictMode, Suspense } from 'react';
import { createRoot } from 'react-dom/client';
import { createBrowserRouter, Navigate, RouterProvider } from 'react-router';
import { queryClient } from './api.js';
import { Bots } from './pages/Bots.js';
import { SignIn } from './pages/SignIn.js';
import { applyTheme, storedTheme } from './parts/theme.js';

applyTheme(storedTheme());

const loadMap = () => import('./pages/MapPage.js');
const MapPage = lazy(loadMap);
const BotFrame = lazy(() => {
  // The Map is what a bot is opened for: it is fetched beside the draft, not after it.
  void loadMap();
  return import('./pages/BotFrame.js');
});
const TurnPage = lazy(() => import('./pages/TurnPage.js'));
const RehearsalsPage = lazy(() => import('./pages/RehearsalsPage.js'));
const RehearsalTurnPage = lazy(() => import('./pages/RehearsalTurnPage.js'));
const ActionsPage = lazy(() => import('./pages/ActionsPage.js'));
const ChannelsPage = lazy(() => import('./pages/ChannelsPage.js'));
const TablesPage = lazy(() => import('./pages/TablesPage.js'));
const StartsPage = lazy(() => import('./pages/StartsPage.js'));
const PagesPage = lazy(() => import('./pages/PagesPage.js'));
const RunsPage = lazy(() => import('./pages/RunsPage.js'));
const UnderstandingPage = lazy(() => import('./pages/UnderstandingPage.js'));
const QualityPage = lazy(() => import('./pages/QualityPage.js'));
const MissedPage = lazy(() => import('./pages/MissedPage.js'));
const KnowledgePage = lazy(() => import('./pages/KnowledgePage.js'));
const EvaluationPage = lazy(() => import('./pages/EvaluationPage.js'));
const ModelsPage = lazy(() => import('./pages/ModelsPage.js'));
const ChannelPage = lazy(() => import('./pages/ChannelPage.js'));
const ConversationsPage = lazy(() => import('./pages/ConversationsPage.js'));
const PeoplePage = lazy(() => import('./pages/PeoplePage.js'));
const InboxPage = lazy(() => import('./pages/InboxPage.js'));
const StaffInbox = lazy(() => import('./pages/StaffInbox.js'));
const ConversationTurnPage = lazy(() => import('./pages/ConversationTurnPage.js'));
const SettingsPage = lazy(() => import('./pages/SettingsPage.js'));
const ReleasesPage = lazy(() => import('./pages/ReleasesPage.js'));
const KeepingPage = lazy(() => import('./pages/KeepingPage.js'));
const VisitorsPage = lazy(() => import('./pages/VisitorsPage.js'));
const HistoryPage = lazy(() => import('./pages/HistoryPage.js'));

const router = createBrowserRouter([
  { path: '/', element: <Bots /> },
  { path: '/sign-in', element: <SignIn /> },
  {
    path: '/bots/:bot',
    element: <BotFrame />,
    children: [
      { index: true, element: <Navigate to="map" replace /> },
      { path: 'map/:flow?/:node?', element: <MapPage /> },
      { path: 'simulations/:simulation/:turn?', element: <TurnPage /> },
      { path: 'rehearsals/:rehearsal?', element: <RehearsalsPage /> },
      { path: 'rehearsals/:rehearsal/turns/:number', element: <RehearsalTurnPage /> },
      { path: 'actions', element: <ActionsPage /> },
      { path: 'tables/:table?', element: <TablesPage /> },
      { path: 'starts/:start?', element: <StartsPage /> },
      { path: 'pages/:page?/:view?', element: <PagesPage /> },
      { path: 'runs/:run?', element: <RunsPage /> },
      { path: 'understanding/:part?/:name?', element: <UnderstandingPage /> },
      { path: 'quality', element: <QualityPage /> },
      { path: 'missed', element: <MissedPage /> },
      { path: 'knowledge/:base?/:document?', element: <KnowledgePage /> },
      { path: 'evaluation/:base?', element: <EvaluationPage /> },
      { path: 'models', element: <ModelsPage /> },
      { path: 'channels', element: <ChannelsPage /> },
      { path: 'channels/:channel', element: <ChannelPage /> },
      { path: 'conversations/:conversation?', element: <ConversationsPage /> },
      { path: 'conversations/:conversation/turns/:number', element: <ConversationTurnPage /> },
      { path: 'people', element: <PeoplePage /> },
      { path: 'inbox/:conversation?', element: <InboxPage /> },
      { path: 'settings', element: <SettingsPage /> },
      { path: 'releases', element: <ReleasesPage /> },
      { path: 'history', element: <HistoryPage /> },
      { path: 'retention', element: <KeepingPage /> },
      { path: 'visitors/:visitor?', element: <VisitorsPage /> },
    ],
  },
  { path: '/inbox/:bot/:conversation?', element: <StaffInbox /> },
  { path: '*', element: <Navigate to="/" replace /> },
]);

const root = document.getElementById('root');
if (root) {
  createRoot(root).render(
    <StrictMode>
      <QueryClientProvider client={queryClient}>
        <Suspense fallback={null}>
          <RouterProvider router={router} />
        </Suspense>
      </QueryClientProvider>
    </StrictMode>,
  );
}
