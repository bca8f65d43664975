"""From a start to the answer: steady and in time, and the solver of their linear systems."""
