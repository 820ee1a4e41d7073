import { Maximize, ZoomIn, ZoomOut } from "lucide-react";
import { useCallback, useEffect, useRef, useState } from "react";
import { Button } from "../../ui/Button.tsx";
import { cellAt, type DieMap, type DieView, dieColours, drawDieMap } from "./die-map.ts";

interface Props {
  readonly map: DieMap;
  readonly focusNets: ReadonlySet<number>;
  readonly startView: DieView | null;
  readonly onView: (view: DieView) => void;
  readonly onPick: (cell: number) => void;
  readonly label: string;
}

/** The die as a canvas: wheel to zoom at the pointer, drag to pan, arrow keys and plus and minus likewise. */
export function DieMapCanvas({ map, focusNets, startView, onView, onPick, label }: Props) {
  const host = useRef<HTMLDivElement>(null);
  const canvas = useRef<HTMLCanvasElement>(null);
  const [size, setSize] = useState({ width: 0, height: 0 });
  const [view, setView] = useState<DieView | null>(startView);
  const [theme, setTheme] = useState(0);
  const drag = useRef<{ x: number; y: number; moved: boolean } | null>(null);
  const { fabric } = map;
  const fit = useCallback(
    (): DieView => ({
      x: fabric.width / 2,
      y: fabric.height / 2,
      scale: Math.max(4, Math.min(size.width / (fabric.width + 0.6), size.height / (fabric.height + 0.6))),
    }),
    [fabric, size],
  );
  const shown = view ?? fit();
  const latest = useRef(shown);
  latest.current = shown;

  useEffect(() => {
    const observer = new ResizeObserver(([entry]) =>
      setSize({ width: entry.contentRect.width, height: entry.contentRect.height }),
    );
    observer.observe(host.current!);
    const onTheme = () => setTheme((old) => old + 1);
    addEventListener("gate-clock-theme", onTheme);
    return () => {
      observer.disconnect();
      removeEventListener("gate-clock-theme", onTheme);
    };
  }, []);

  // biome-ignore lint/correctness/useExhaustiveDependencies: the theme changes the colours
  useEffect(() => {
    const element = canvas.current;
    const ctx = element?.getContext("2d");
    if (!element || !ctx || size.width === 0) return;
    const ratio = devicePixelRatio;
    const frame = requestAnimationFrame(() => {
      element.width = Math.round(size.width * ratio);
      element.height = Math.round(size.height * ratio);
      ctx.setTransform(ratio, 0, 0, ratio, 0, 0);
      drawDieMap(ctx, map, shown, size.width, size.height, focusNets, dieColours());
    });
    return () => cancelAnimationFrame(frame);
  }, [map, shown.x, shown.y, shown.scale, size, focusNets, theme]);

  const change = useCallback(
    (next: DieView) => {
      const { fabric: grid } = map;
      setView({
        x: Math.max(0, Math.min(grid.width, next.x)),
        y: Math.max(0, Math.min(grid.height, next.y)),
        scale: Math.max(6, Math.min(400, next.scale)),
      });
    },
    [map],
  );
  const zoom = useCallback(
    (factor: number, atX = size.width / 2, atY = size.height / 2) => {
      const old = latest.current;
      const scale = Math.max(6, Math.min(400, old.scale * factor));
      const px = (atX - size.width / 2) / old.scale;
      const py = -(atY - size.height / 2) / old.scale;
      change({ x: old.x + px * (1 - old.scale / scale), y: old.y + py * (1 - old.scale / scale), scale });
    },
    [change, size],
  );

  useEffect(() => {
    const element = canvas.current!;
    const onWheel = (event: WheelEvent) => {
      event.preventDefault();
      zoom(Math.exp(-event.deltaY * 0.0016), event.offsetX, event.offsetY);
    };
    element.addEventListener("wheel", onWheel, { passive: false });
    return () => element.removeEventListener("wheel", onWheel);
  }, [zoom]);

  // the address follows once the view has come to rest
  useEffect(() => {
    if (!view) return;
    const timer = setTimeout(() => onView(view), 400);
    return () => clearTimeout(timer);
  }, [view, onView]);

  return (
    <div ref={host} className="relative h-full overflow-hidden">
      <canvas
        ref={canvas}
        role="img"
        aria-label={label}
        tabIndex={0}
        className="absolute inset-0 size-full touch-none"
        data-testid="die-map"
        onPointerDown={(event) => {
          drag.current = { x: event.clientX, y: event.clientY, moved: false };
          event.currentTarget.setPointerCapture(event.pointerId);
        }}
        onPointerMove={(event) => {
          if (!drag.current) return;
          const dx = event.clientX - drag.current.x;
          const dy = event.clientY - drag.current.y;
          if (!drag.current.moved && Math.hypot(dx, dy) < 4) return;
          drag.current = { x: event.clientX, y: event.clientY, moved: true };
          const old = latest.current;
          change({ ...old, x: old.x - dx / old.scale, y: old.y + dy / old.scale });
        }}
        onPointerUp={(event) => {
          const start = drag.current;
          drag.current = null;
          if (!start || start.moved) return;
          const box = event.currentTarget.getBoundingClientRect();
          const old = latest.current;
          onPick(
            cellAt(
              map,
              old.x + (event.clientX - box.left - size.width / 2) / old.scale,
              old.y - (event.clientY - box.top - size.height / 2) / old.scale,
            ),
          );
        }}
        onKeyDown={(event) => {
          const old = latest.current;
          const step = 60 / old.scale;
          const moves: Record<string, DieView> = {
            ArrowLeft: { ...old, x: old.x - step },
            ArrowRight: { ...old, x: old.x + step },
            ArrowUp: { ...old, y: old.y + step },
            ArrowDown: { ...old, y: old.y - step },
          };
          if (event.key in moves) {
            event.preventDefault();
            change(moves[event.key]);
          } else if (event.key === "+" || event.key === "=") zoom(1.25);
          else if (event.key === "-") zoom(0.8);
          else if (event.key === "0") setView(null);
        }}
      />
      <div className="absolute right-3 bottom-3 flex gap-1 rounded-md border border-line bg-panel p-0.5 shadow">
        <Button look="quiet" className="px-2" onClick={() => zoom(1.25)} aria-label="Zoom in">
          <ZoomIn className="size-4" />
        </Button>
        <Button look="quiet" className="px-2" onClick={() => zoom(0.8)} aria-label="Zoom out">
          <ZoomOut className="size-4" />
        </Button>
        <Button look="quiet" className="px-2" onClick={() => setView(null)} aria-label="Show the whole die">
          <Maximize className="size-4" />
        </Button>
      </div>
    </div>
  );
}
