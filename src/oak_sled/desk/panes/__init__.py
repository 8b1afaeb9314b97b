"""Panes that explain a run: traces, ledger, plan, measures, why, and the shelf of runs."""
