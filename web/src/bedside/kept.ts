import type { Schemas } from "../api/client";

export type BedsideChart = Schemas["BedsideChart"];

/** A chart as this device keeps it, and since when. */
export interface Kept {
  chart: BedsideChart;
  at: string;
}

const KEY = "oakbeam.bedside";

/** The charts that this device keeps, by room. */
export function keptCharts(): Record<string, Kept> {
  try {
    return JSON.parse(localStorage.getItem(KEY) ?? "{}") as Record<string, Kept>;
  } catch {
    return {};
  }
}

/** Keeps a chart in the place of the room's last one; false where the browser has no room or refuses. */
export function keep(chart: BedsideChart): boolean {
  try {
    const all = { ...keptCharts(), [chart.room]: { chart, at: new Date().toISOString() } };
    localStorage.setItem(KEY, JSON.stringify(all));
    return true;
  } catch {
    return false;
  }
}

/** Lets the browser open the page without a network, where it may: over TLS, or on the server's own machine. */
export async function keepPage(): Promise<boolean> {
  if (!("serviceWorker" in navigator) || !window.isSecureContext) return false;
  try {
    await navigator.serviceWorker.register("/sw.js");
    return true;
  } catch {
    return false;
  }
}
