import { QueryClientProvider } from "@tanstack/react-query";
import { createBrowserRouter, Navigate, Outlet, RouterProvider, useLocation } from "react-router";
import { client, useSession } from "../api/queries";
import { Fault, Loading } from "../parts/basics";
import { CurvesView } from "../views/curves/CurvesView";
import { CutoffView } from "../views/cutoff/CutoffView";
import { DossierView } from "../views/dossier/DossierView";
import { RevisionView } from "../views/dossier/RevisionView";
import { IntakeView } from "../views/intake/IntakeView";
import { NewStudy } from "../views/intake/NewStudy";
import { MatrixView } from "../views/matrix/MatrixView";
import { RosterView } from "../views/roster/RosterView";
import { SignIn } from "../views/sign-in/SignIn";
import { Studies } from "../views/studies/Studies";
import { StudyFrame } from "./StudyFrame";
import { Working } from "./Working";

function Guarded() {
  const session = useSession();
  const { pathname, search } = useLocation();
  if (session.isPending) return null;
  if (session.isError) return <Fault error={session.error} />;
  if (!session.data.user) return <Navigate to={`/sign-in?to=${encodeURIComponent(pathname + search)}`} replace />;
  return (
    <>
      <Outlet />
      <Working />
    </>
  );
}

function Nowhere() {
  return (
    <main className="max-w-xl mx-auto py-20 px-6">
      <h1 className="text-xl mb-2">There is nothing at this address</h1>
      <a className="link" href="/">
        To the studies
      </a>
    </main>
  );
}

const router = createBrowserRouter([
  { path: "/sign-in", element: <SignIn /> },
  {
    element: <Guarded />,
    errorElement: <Nowhere />,
    HydrateFallback: () => <Loading what="Opening" />,
    children: [
      { path: "/", element: <Studies /> },
      { path: "/new", element: <NewStudy /> },
      {
        path: "/studies/:studyId",
        element: <StudyFrame />,
        children: [
          { index: true, element: <Navigate to="roster" replace /> },
          { path: "intake", element: <IntakeView /> },
          { path: "roster", element: <RosterView /> },
          { path: "matrix", element: <MatrixView /> },
          { path: "curves", element: <CurvesView /> },
          { path: "cutoff", element: <CutoffView /> },
          { path: "dossier", element: <DossierView /> },
          { path: "revisions/:revisionId", element: <RevisionView /> },
        ],
      },
      { path: "*", element: <Nowhere /> },
    ],
  },
]);

export function App() {
  return (
    <QueryClientProvider client={client}>
      <RouterProvider router={router} />
    </QueryClientProvider>
  );
}
