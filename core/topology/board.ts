/** A card of the map; an open one has a tray below its row that holds the cards inside it. */
export interface BoardCard {
  id: string;
  inside?: readonly BoardCard[];
}

/** A layer of the map. Without a label it is the whole map. */
export interface BoardBand {
  id: string;
  label: string;
  cards: readonly BoardCard[];
}

export interface BoardOptions {
  cardWidth: number;
  cardHeight: number;
  /** Room between columns and between rows: lines run there. */
  gapX: number;
  gapY: number;
  columns: number;
  /** Room left of the cards for the names of layers, and above and below the cards of a layer. */
  margin: number;
  padding: number;
  /** Room above the cards of a tray for its name. */
  trayHead: number;
}

export interface PlacedBoardCard {
  id: string;
  x: number;
  y: number;
  column: number;
}

/** The tray of an open card, with the place where it hangs from it. */
export interface Tray {
  of: string;
  x: number;
  y: number;
  width: number;
  height: number;
  /** How many trays it stands in. */
  depth: number;
}

export interface Board {
  cards: PlacedBoardCard[];
  trays: Tray[];
  bands: { id: string; label: string; y: number; height: number }[];
  width: number;
  height: number;
}

/** How far a tray stands out from the cards in it, and from the tray it stands in. */
const INSET = 6;

/**
 * Places cards in rows of one grid. Opening a card leaves it and everything above it where they were, and moves what is
 * below its row down by the height of its tray, and nothing sideways: what one knows by its place stays there.
 */
export function layBoard(bands: readonly BoardBand[], options: BoardOptions): Board {
  const { cardWidth, cardHeight, gapX, gapY, margin, padding, trayHead } = options;
  const most = (cards: readonly BoardCard[]): number =>
    Math.max(cards.length, ...cards.map((card) => (card.inside ? most(card.inside) : 0)));
  const columns = Math.max(1, Math.min(options.columns, Math.max(1, ...bands.map((band) => most(band.cards)))));
  const stepX = cardWidth + gapX;
  const board: Board = { cards: [], trays: [], bands: [], width: margin + columns * stepX + gapX, height: 0 };
  let y = 0;
  const place = (cards: readonly BoardCard[], depth: number): void => {
    for (let first = 0; first < cards.length; first += columns) {
      const row = cards.slice(first, first + columns);
      row.forEach((card, column) => board.cards.push({ id: card.id, x: margin + column * stepX, y, column }));
      y += cardHeight + gapY;
      for (const card of row) {
        if (!card.inside?.length) continue;
        const tray: Tray = {
          of: card.id,
          x: margin - INSET * 2 + depth * 3,
          y: y - gapY / 2,
          width: columns * stepX - gapX + INSET * 4 - depth * 6,
          height: 0,
          depth,
        };
        board.trays.push(tray);
        y += trayHead;
        place(card.inside, depth + 1);
        tray.height = y - tray.y - gapY / 2;
        y += gapY / 2;
      }
    }
  };
  for (const band of bands) {
    if (!band.cards.length) continue;
    const top = y;
    y += padding;
    place(band.cards, 0);
    y += padding - gapY;
    board.bands.push({ id: band.id, label: band.label, y: top, height: y - top });
  }
  board.height = y;
  return board;
}

/** Columns that show so many cards about as wide as a window is. */
export const columnsFor = (cards: number): number => Math.max(5, Math.min(14, Math.round(Math.sqrt(cards * 1.7))));
