"""Skeletons: joints and poses, what moves them, and how joints map to the other side or to a changed skeleton."""
