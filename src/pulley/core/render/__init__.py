"""Pictures of a scene, drawn by OpenGL without a monitor: on a graphics card where there is one, else by software."""
