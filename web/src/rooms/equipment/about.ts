/** What a field of the equipment is for, and what follows where nobody knows it; by the first word of the field's id. */
export const ABOUT: Record<string, string> = {
  kvp: "The kVp that can be set. A computed kVp is taken to the nearest of these, and the difference is said.",
  ma: "The mA that can be set. The Desk picks mA and time for a mAs; without it no time can be told.",
  mas: "The mAs that can be set. A computed mAs is taken to the nearest in proportion, and what that does to the index is said.",
  time: "The times that can be set, in ms. Empty where mAs is set directly: time is then mAs ÷ mA.",
  ceiling:
    "The most mAs that one exposure may take under AEC. Back-up never goes above it. Local code rules; 600 is a common limit.",
  filtration:
    "Inherent and added together. Not known: leave 3 mm Al, and measure the half-value layer. A millimetre less or more is about 8 % of skin dose at the same image.",
  copper: "Copper that is always in the beam. What can be switched in stands under tube filters.",
  anode:
    "The target's angle. Not known: leave 12°. It decides the heel effect and how far the field is covered.",
  cathode:
    "In your words, as head end. The thick end of a part goes under the cathode; not known, no advice on it is given.",
  spot: "The nominal size decides the blur that is shown. Not known: 0.6 and 1.2 mm are usual.",
  most: "Where the console stops below what the power allows. Empty: the power alone limits it.",
  power:
    "What the focus takes for an exposure of that time, from the tube's rating chart. Times between are worked out in proportion. Not known: set it low; the Desk then offers less mA and longer times than the tube could do.",
  gap: "From the surface that the patient touches to the receptor. It magnifies, and under an unmoved tube it is a longer SID. Not known: measure with the Bucky tray pulled out; 5 to 8 cm is usual.",
  front:
    "What tabletop or front takes from the beam, in aluminium. Not known: leave 0.7 mm for a table. It is in every line's mAs already; it counts where a line goes to another support.",
  grid: "The grid that is built in there. What the grid is like stands below, under grids.",
  travel: "How near and how far the tube goes over this support. Empty: as usual for such a place, as shown.",
  detents:
    "Where the tube clicks into place, in the unit on the machine. An SID beside one is asked about. Empty: as usual.",
  focal: "Where the grid is focused. Off it, the edges of the image fade; the Desk says by how much.",
  range: "The SID range that the maker states. Outside it a technique is shown with a caution.",
  lines: "Strips to the centimetre. With ratio and lead they decide what the grid takes; not known: 40.",
  lead: "Thickness of a strip. Not known: 0.04 mm.",
  cover: "The covers in aluminium. Not known: 0.3 mm.",
  interspace: "Aluminium takes more of the beam than fibre: up to a fifth more mAs at low kVp.",
  name: "As people call it: it stands on the Desk, on the chart and in the log.",
  kind: "It decides how the receptor answers to kVp and scatter.",
  size: "Width and height as it lies in the Bucky; it bounds the field and says what fits.",
  target:
    "The exposure index that a good image shows. Agreed by radiologists and physicist: half of it is twice the noise, twice of it twice the dose. A region's own target goes before.",
  speed: "1000 ÷ the kerma in µGy that gives net density 1.0. The system's, screens and film together.",
  scale: "What the console shows in place of the exposure index. Type what it shows; Oakbeam works it out.",
  cells: "The chambers as your console names them, with spaces between.",
  density: "What one step of the density switch does to the exposure.",
  response:
    "Below it the AEC cannot end an exposure: the image comes out over-exposed, and the Desk says so.",
  backup: "Back-up mAs over the expected mAs. Local code rules.",
  holds:
    "As the service set the AEC up: matched to the receptor, or at one kerma for all. It decides the forecast.",
  filter: "A filter that can be switched in. It takes skin dose off thick and small children's parts.",
};
