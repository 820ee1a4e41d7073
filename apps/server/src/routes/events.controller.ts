import type { ServerEvent } from "@gate-clock/contract";
import { Controller, Inject, type MessageEvent, Sse } from "@nestjs/common";
import { ApiTags } from "@nestjs/swagger";
import { interval, map, merge, type Observable, of, takeUntil } from "rxjs";
import { EventHub } from "../events/hub.service.ts";

/** So often something is sent, so that a dead connection is noticed. */
const lifeMs = 15_000;

@ApiTags("events")
@Controller("api/events")
export class EventsController {
  constructor(@Inject(EventHub) private readonly hub: EventHub) {}

  /** Everything that changes, as it changes: one stream for a browser, whatever it has open. See `ServerEvent`. */
  @Sse()
  events(): Observable<MessageEvent> {
    const alive = merge(of(0), interval(lifeMs)).pipe(
      map((): ServerEvent => ({ kind: "alive" })),
      // or a stream would outlive the server that wants to end
      takeUntil(this.hub.ended),
    );
    return merge(alive, this.hub.all()).pipe(map((data) => ({ data })));
  }
}
