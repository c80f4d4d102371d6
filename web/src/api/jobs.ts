import client, { type Answer, type Schemas, unwrap } from "./client";

/** Work that goes on after its request: how far it is. */
export type Job = Schemas["JobOut"];

/** What a request says that need not be answered at once. */
export const LATER = { headers: { Prefer: "respond-async" } };
const LOOK_EVERY_MS = 1000;

/** The data of an answer that may come as a job: looked at until it ends. `told` hears how far it is, and null at the end. */
export async function worked<T>(begun: Promise<unknown>, told: (job: Job | null) => void): Promise<T> {
  let answer = begun as Promise<Answer>;
  let job: Job | null = null;
  try {
    for (;;) {
      const got: Answer | null = await answer.catch(() => null);
      if (got?.response.status === 202) told((job = got.data as Job));
      // A look that went astray says nothing of the work: look again.
      else if (got || !job) return await unwrap<T>(answer);
      await new Promise((resolve) => setTimeout(resolve, LOOK_EVERY_MS));
      answer = client.GET("/api/jobs/{job_id}", { params: { path: { job_id: job.id } } });
    }
  } finally {
    told(null);
  }
}

/** Call work off: what it kept by then stays. */
export const callOff = (job: Job) =>
  client.DELETE("/api/jobs/{job_id}", { params: { path: { job_id: job.id } } });
