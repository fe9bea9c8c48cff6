import {
  createRootRoute,
  createRoute,
  createRouter,
  lazyRouteComponent,
} from "@tanstack/react-router";
import { Bench } from "../features/bench/Bench";
import { Ledger } from "../features/ledger/Ledger";
import { Readout } from "../features/readout/Readout";
import { Report } from "../features/readout/Report";
import { Shelf } from "../features/shelf/Shelf";
import { Studies } from "../features/studies/Studies";
import { Gate } from "./Gate";

const root = createRootRoute({ component: Gate });
const shelf = createRoute({ getParentRoute: () => root, path: "/", component: Shelf });
const bench = createRoute({
  getParentRoute: () => root,
  path: "/projects/$projectId/bench",
  component: Bench,
});
const ledger = createRoute({
  getParentRoute: () => root,
  path: "/projects/$projectId/ledger",
  component: Ledger,
});
const readout = createRoute({
  getParentRoute: () => root,
  path: "/projects/$projectId/readout",
  component: Readout,
});
const studies = createRoute({
  getParentRoute: () => root,
  path: "/projects/$projectId/studies",
  component: Studies,
});
const study = createRoute({
  getParentRoute: () => root,
  path: "/projects/$projectId/studies/$number",
  component: Studies,
});
const report = createRoute({
  getParentRoute: () => root,
  path: "/projects/$projectId/report",
  component: Report,
});

const guide = createRoute({
  getParentRoute: () => root,
  path: "/guide/$page",
  component: lazyRouteComponent(() => import("../features/guide/Guide"), "Guide"),
});

export const router = createRouter({
  routeTree: root.addChildren([shelf, bench, ledger, studies, study, readout, report, guide]),
});

declare module "@tanstack/react-router" {
  interface Register {
    router: typeof router;
  }
}
