//! The clearing house behind a folder instead of HTTP: takes what is put into `out`, puts what it says into `in`.

use crate::{Mood, World, exchange};
use std::path::Path;
use std::time::Duration;

/// Looks into the folder until it is dropped; what cannot be read there is looked for again.
pub async fn watch(world: World, folder: std::path::PathBuf) {
    let mut told = 0;
    loop {
        actix_web::rt::time::sleep(Duration::from_millis(200)).await;
        if world.lock().mood == Mood::Usual {
            let _ = look(&world, &folder, &mut told);
        }
    }
}

fn look(world: &World, folder: &Path, told: &mut usize) -> std::io::Result<()> {
    let fetched = folder.join("out/fetched");
    std::fs::create_dir_all(&fetched)?;
    for entry in std::fs::read_dir(folder.join("out"))? {
        let path = entry?.path();
        if path.extension().is_some_and(|e| e == "837") {
            // What it cannot read it says nothing about, as one that was sent nonsense by a folder.
            let _ = exchange::take_file(world, &std::fs::read(&path)?);
            std::fs::rename(&path, fetched.join(path.file_name().unwrap_or_default()))?;
        }
    }
    for said in crate::released(world, "exchange", *told) {
        let (Some(number), Some(content)) = (said["number"].as_u64(), said["content"].as_str()) else { continue };
        let unfinished = folder.join(format!("in/{number}.part"));
        std::fs::write(&unfinished, content)?;
        std::fs::rename(&unfinished, folder.join(format!("in/{number}.x12")))?;
        *told = usize::try_from(number).unwrap_or(*told);
    }
    Ok(())
}
