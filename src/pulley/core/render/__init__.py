"""Pictures of a scene: by the processor, or by OpenGL on a graphics card where there is one."""
