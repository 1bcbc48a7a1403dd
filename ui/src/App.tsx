import { QueryClientProvider } from "@tanstack/react-query";
import { type ComponentType, lazy, Suspense } from "react";
import { createBrowserRouter, Navigate, Outlet, useLocation } from "react-router";
import { RouterProvider } from "react-router/dom";
import { client, useSession } from "./api/queries";
import { useOtherWindows } from "./app/handOver";
import { StudyFrame } from "./app/StudyFrame";
import { StepsContext, stepsOf } from "./app/steps";
import { Working } from "./app/Working";
import { Fault, Loading } from "./parts/basics";
import { STEPS } from "./views";
import { SignIn } from "./views/sign-in/SignIn";
import { Studies } from "./views/studies/Studies";

const steps = stepsOf(STEPS);

/** A part of the page that comes when it is opened. The address is that of where one goes at once. */
function lazily(load: () => Promise<ComponentType>) {
  const Part = lazy(async () => ({ default: await load() }));
  return (
    <Suspense fallback={<Loading what="Opening" />}>
      <Part />
    </Suspense>
  );
}

function Guarded() {
  useOtherWindows();
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
      { path: "/new", element: lazily(() => import("./views/intake/NewStudy").then((m) => m.NewStudy)) },
      {
        path: "/studies/:studyId",
        element: <StudyFrame />,
        children: [
          { index: true, element: <Navigate to="roster" replace /> },
          ...STEPS.flatMap(({ step, load }) => (load ? [{ path: step, element: lazily(load) }] : [])),
          {
            path: "revisions/:revisionId",
            element: lazily(() => import("./views/dossier/RevisionView").then((m) => m.RevisionView)),
          },
        ],
      },
      { path: "*", element: <Nowhere /> },
    ],
  },
]);

// Once the first view stands, the others are fetched: going from one to the next then waits for nothing.
window.addEventListener("load", () => setTimeout(() => STEPS.map((s) => s.load?.()), 1500), { once: true });

export function App() {
  return (
    <QueryClientProvider client={client}>
      <StepsContext.Provider value={steps}>
        <RouterProvider router={router} />
      </StepsContext.Provider>
    </QueryClientProvider>
  );
}
