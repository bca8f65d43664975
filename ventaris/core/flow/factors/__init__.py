"""The approximate inverses that steps are solved with: one file for each way of factorising."""
