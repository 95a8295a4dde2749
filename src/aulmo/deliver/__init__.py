"""Finished pictures: files, the queue of jobs, and what was rendered before."""
