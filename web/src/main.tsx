import { speak } from "./languages/languages";

void speak().then(() => import("./app"));
