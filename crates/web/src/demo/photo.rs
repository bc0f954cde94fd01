//! Pictures of the demo, drawn here: a panel on its prop in the yard, with a towel across it.

use flindo_store::{NewPhoto, StoreError};
use image::codecs::jpeg::JpegEncoder;
use image::{DynamicImage, Rgb, RgbImage};

const WIDTH_PX: u32 = 800;
const HEIGHT_PX: u32 = 600;
const THUMBNAIL_PX: u32 = 320;

const SKY: Rgb<u8> = Rgb([196, 214, 226]);
const GROUND: Rgb<u8> = Rgb([173, 152, 112]);
const FRAME: Rgb<u8> = Rgb([120, 120, 118]);
const CELL: Rgb<u8> = Rgb([34, 48, 84]);
const LINE: Rgb<u8> = Rgb([210, 214, 222]);
const TOWEL: Rgb<u8> = Rgb([222, 208, 178]);

fn fill(picture: &mut RgbImage, (x, y): (u32, u32), (width, height): (u32, u32), colour: Rgb<u8>) {
    for at_y in y..(y + height).min(HEIGHT_PX) {
        for at_x in x..(x + width).min(WIDTH_PX) {
            picture.put_pixel(at_x, at_y, colour);
        }
    }
}

/// A panel of four by nine cells; a towel across its middle where it `has_towel`.
pub fn drawn(caption: &str, has_towel: bool) -> Result<NewPhoto, StoreError> {
    let mut picture = RgbImage::from_pixel(WIDTH_PX, HEIGHT_PX, SKY);
    fill(&mut picture, (0, 430), (WIDTH_PX, 170), GROUND);
    fill(&mut picture, (220, 470), (24, 90), FRAME);
    fill(&mut picture, (556, 470), (24, 90), FRAME);
    fill(&mut picture, (180, 60), (440, 430), FRAME);
    for row in 0..9 {
        for column in 0..4 {
            fill(&mut picture, (192 + column * 105, 70 + row * 46), (100, 42), CELL);
            fill(&mut picture, (192 + column * 105 + 32, 70 + row * 46), (2, 42), LINE);
            fill(&mut picture, (192 + column * 105 + 66, 70 + row * 46), (2, 42), LINE);
        }
    }
    if has_towel {
        fill(&mut picture, (150, 230), (500, 90), TOWEL);
    }
    let whole = DynamicImage::ImageRgb8(picture);
    let jpeg = |picture: &DynamicImage| {
        let mut bytes = Vec::new();
        let encoded = picture.write_with_encoder(JpegEncoder::new_with_quality(&mut bytes, 85));
        encoded.map(|()| bytes).map_err(|error| StoreError::Corrupt(format!("the demo's photo: {error}")))
    };
    Ok(NewPhoto {
        run_id: None,
        caption: caption.to_owned(),
        media_type: "image/jpeg",
        width_px: WIDTH_PX,
        height_px: HEIGHT_PX,
        bytes: jpeg(&whole)?,
        thumbnail: jpeg(&whole.thumbnail(THUMBNAIL_PX, THUMBNAIL_PX))?,
    })
}
