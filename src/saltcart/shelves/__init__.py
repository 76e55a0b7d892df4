"""What is on disk: walking, sizing, digests, audio headers."""
