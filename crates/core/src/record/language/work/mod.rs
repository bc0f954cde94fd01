//! A line as it is typed at work: what changed, what was read, or both: "flat: 78 W", "N-1 alone 86.3 W", "left half shaded", "back".
//!
//! A line is clauses, at commas, colons and full stops. A clause is a state, a figure, or a state and then a figure. What is not understood
//! is asked about where the line has a figure, and else is a note: nothing is guessed at.
//!
//! | file | does |
//! |---|---|
//! | `at` | where the work stands, and what a line comes to |
//! | `asked` | what can be read in two ways |
//! | `line` | a line clause by clause |
//! | `phrases` | whole lines, corrections, units, asides; clauses |
//! | `state`, `pose`, `shaded` | clauses as states |
//! | `figures`, `plain` | the figures of a line, and the words around them |
//! | `time` | a time before a line |
//! | `turn`, `turned` | panels that are read one after the other |
//! | `notebook` | many lines, as they stand in a notebook |

mod asked;
mod at;
mod figures;
mod line;
mod notebook;
mod phrases;
mod plain;
mod pose;
mod shaded;
mod state;
mod time;
mod turn;
mod turned;

pub use at::{Asked, At, Understood, WorkEvent};
pub use line::work;
pub use notebook::{Heading, NotebookEntry, NotebookLine, notebook};
pub use turn::{IN_TURN, Turn, turn_at_work};
